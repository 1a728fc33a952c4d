"""Clean-up: hand-computed examples, impulses and steps."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.envelope.clean_up.despike import DespikeParams, despike
from fern_tide.core.envelope.clean_up.equalise import EqualiseParams, equalise
from fern_tide.core.envelope.clean_up.gate import GateParams, gate
from fern_tide.core.envelope.clean_up.hold import HoldParams, hold
from fern_tide.core.envelope.clean_up.rise_and_fall import FallShape, RiseAndFallParams, rise_and_fall
from fern_tide.core.envelope.clean_up.shift import ShiftLevelParams, shift
from fern_tide.core.envelope.clean_up.smooth import SmoothParams, smooth

RATE = FrameRate.parse("100")  # 10 ms a frame


def impulse(n=201, at=100):
    x = np.zeros(n)
    x[at] = 1.0
    return x


@given(st.floats(15, 800))
def test_smoothing_an_impulse_is_symmetric_about_its_frame(width_ms):
    out = smooth(impulse(), params=SmoothParams(width_ms=width_ms), rate=RATE)
    np.testing.assert_allclose(out, out[::-1], atol=1e-15)
    assert out.argmax() == 100


def test_the_width_is_the_full_width_at_half_maximum():
    out = smooth(impulse(), params=SmoothParams(width_ms=200), rate=RATE)
    assert out[90] == pytest.approx(out[100] / 2, rel=1e-6)
    assert out.sum() == pytest.approx(1.0, abs=1e-3)


def test_smoothing_leaves_a_steady_level_alone_up_to_its_ends():
    np.testing.assert_allclose(smooth(np.full(50, 0.3), params=SmoothParams(width_ms=300), rate=RATE), 0.3)


@pytest.mark.parametrize("frames", [2, 3, 90, 512, 513])
@pytest.mark.parametrize("width_ms", [10, 80, 200, 330])
def test_a_few_frames_are_smoothed_to_the_same_bit_as_many(frames, width_ms):
    level = np.random.default_rng(frames).normal(size=frames) * 10.0 ** (width_ms % 7)
    params = SmoothParams(width_ms=width_ms)
    by_rows = smooth(np.stack([level, level]), params=params, rate=RATE)  # goes through the bell, not at once
    np.testing.assert_array_equal(smooth(level, params=params, rate=RATE), by_rows[1])


def test_no_width_is_no_smoothing():
    np.testing.assert_array_equal(smooth(impulse(), params=SmoothParams(width_ms=0), rate=RATE), impulse())


def test_a_step_up_is_at_63_percent_after_the_rise_time():
    step = np.concatenate([[0.0], np.ones(100)])
    out = rise_and_fall(step, params=RiseAndFallParams(rise_ms=100, fall_ms=0), rate=RATE)
    assert out[0] == 0
    assert out[10] == pytest.approx(1 - np.exp(-1))


def test_a_step_down_keeps_37_percent_after_the_fall_time():
    step = np.concatenate([[1.0], np.zeros(100)])
    out = rise_and_fall(step, params=RiseAndFallParams(rise_ms=0, fall_ms=200), rate=RATE)
    assert out[20] == pytest.approx(np.exp(-1))


def test_a_straight_fall_sinks_by_the_same_amount_each_frame():
    step = np.concatenate([[1.0], np.zeros(30)])
    params = RiseAndFallParams(rise_ms=0, fall_ms=100, fall=FallShape.STRAIGHT)
    np.testing.assert_allclose(
        rise_and_fall(step, params=params, rate=RATE)[:12], np.clip(1 - np.arange(12) / 10, 0, 1), atol=1e-12
    )


def test_nothing_starts_bent():
    assert rise_and_fall(np.full(20, 0.7), params=RiseAndFallParams(), rate=RATE)[0] == 0.7


def test_a_spike_of_one_frame_goes_and_a_step_stays():
    x = np.concatenate([np.zeros(20), [1.0], np.zeros(20), np.ones(20)])
    out = despike(x, params=DespikeParams(width_ms=50), rate=RATE)
    np.testing.assert_array_equal(out, np.concatenate([np.zeros(41), np.ones(20)]))


def test_a_peak_is_held_for_its_time_and_no_longer():
    out = hold(impulse(n=20, at=5), params=HoldParams(hold_ms=40), rate=RATE)
    assert np.flatnonzero(out).tolist() == [5, 6, 7, 8, 9]


def test_the_chosen_percentile_becomes_full_scale_row_by_row():
    rows = np.stack([np.linspace(0, 0.2, 101), np.linspace(0, 0.02, 101), np.zeros(101)])
    out = equalise(rows, params=EqualiseParams(percentile=90), rate=RATE)
    np.testing.assert_allclose(out[:, 90], [1, 1, 0])
    assert out[2].max() == 0


@pytest.mark.parametrize(("by", "unit", "expected"), [(2, "frames", 12), (-30, "ms", 7)])
def test_a_level_is_shifted_by_frames_or_ms(by, unit, expected):
    params = ShiftLevelParams(by=by, counted_in=unit)
    assert shift(impulse(n=30, at=10), params=params, rate=RATE).argmax() == expected


def test_a_gate_holds_between_its_two_levels_and_stays_open_its_least_time():
    db = np.array([-60.0, -30, -43, -60, -60, -43, -60])
    level = 10 ** (db / 20)
    params = GateParams(open_db=-40, close_db=-46, stay_ms=30)
    passed = gate(level, params=params, rate=RATE)
    assert (passed > 0).tolist() == [False, True, True, True, False, False, False]


def test_a_gate_that_closes_above_where_it_opens_is_refused():
    with pytest.raises(InvalidParameter, match="Close"):
        GateParams(open_db=-40, close_db=-30)

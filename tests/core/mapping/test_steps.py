"""Each step by hand, and the same motion at any frame rate."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.mapping.mapping import STEPS, StepChoice
from fern_tide.core.mapping.moments import rises
from fern_tide.core.mapping.step import StepContext

LIFTS = arrays(np.float64, st.integers(1, 120), elements=st.floats(0, 1))
HITS = np.array([0, 0.8, 0.4, 0, 0, 0.5, 0, 0.9, 1, 0], dtype=float)


def run(text, lift, *, rate="10", seed=0, hits=(), levels=None, beats=()):
    choice = StepChoice.parse(text)
    frames, strengths = np.array([at for at, _ in hits], dtype=np.int64), np.array([high for _, high in hits])
    context = StepContext(
        rate=FrameRate.parse(rate),
        seed=seed,
        hit_frames=frames,
        hit_strengths=strengths,
        levels=levels or {},
        beat_times_s=np.array(beats, dtype=float),
    )
    return STEPS[choice.id].apply(np.asarray(lift, dtype=float), params=choice.params, context=context)


def test_a_rise_is_where_lift_leaves_rest():
    assert np.flatnonzero(rises(HITS)).tolist() == [1, 5, 7]
    assert rises(np.array([[0.5, 0.5], [0.0, 0.1]])).tolist() == [[True, False], [False, True]]


def test_build_up_goes_on_with_the_sound_and_rests_with_it():
    np.testing.assert_allclose(run("build_up per_second=2", [1, 1, 1, 0, 0]), [0, 0.2, 0.4, 0.5, 0.5])
    np.testing.assert_allclose(run("build_up per_second=2 idle=1", [0, 0, 1]), [0, 0.1, 0.25])
    np.testing.assert_allclose(run("build_up starts_over=yes", [0, 1, 1, 0, 0, 1, 1]), [0, 0, 0.1, 0.15, 0.15, 0, 0.1])


def test_fold_turns_back_and_wrap_begins_anew():
    np.testing.assert_allclose(run("fold", [0, 0.7, 1, 1.3, 2, 2.2, -0.2]), [0, 0.7, 1, 0.7, 0, 0.2, 0.2])
    np.testing.assert_allclose(run("fold low=-1 high=1", [0.5, 1.5, -1.5]), [0.5, 0.5, -0.5])
    np.testing.assert_allclose(run("wrap", [0, 0.7, 1, 1.3, 2.25, -0.25]), [0, 0.7, 0, 0.3, 0.25, 0.75])


@given(lift=arrays(np.float64, 20, elements=st.floats(-50, 50)), low=st.floats(-2, 0), width=st.floats(0.1, 3))
def test_what_is_folded_or_wrapped_stays_in_its_range(lift, low, width):
    for name in ("fold", "wrap"):
        out = run(f"{name} low={low} high={low + width}", lift)
        assert (out >= low - 1e-9).all() and (out <= low + width + 1e-9).all()


def test_turns_are_taken_at_every_hit():
    np.testing.assert_allclose(run("take_turns", HITS), [0, 0.8, 0.4, 0, 0, -0.5, 0, 0.9, 1, 0])
    np.testing.assert_allclose(run("take_turns every=2", HITS), [0, 0.8, 0.4, 0, 0, 0.5, 0, -0.9, -1, 0])
    items = run("take_turns changes=item items=3", HITS)
    np.testing.assert_allclose(items, [0, 0, 0, 0, 0, 0.5, 0.5, 1, 1, 1])


def test_a_swell_climbs_in_a_second_and_sinks_in_three():
    out = run("swell climb_s=1 sink_s=3", [1] * 11 + [0] * 31)
    np.testing.assert_allclose(out[[0, 5, 10, 25, 40, 41]], [0, 0.5, 1, 0.5, 0, 0], atol=1e-9)


def test_a_pulse_has_its_own_shape_and_the_highest_counts():
    np.testing.assert_allclose(
        run("pulse attack_ms=200 decay_ms=400", [0, 1, 0, 0, 0, 0, 0, 0]),
        [0, 1 / 3, 2 / 3, 1, 0.5625, 0.25, 0.0625, 0],
        atol=1e-12,
    )
    strong = run("pulse attack_ms=0 decay_ms=200 as_strong=yes", HITS)
    np.testing.assert_allclose(strong, [0, 0.8, 0.2, 0, 0, 0.5, 0.125, 1, 0.25, 0])


@pytest.mark.parametrize("rate", ["24", "24000/1001", "30", "50", "60", "120"])
@pytest.mark.parametrize("options", ["", "attack_ms=0", "attack_ms=45", "attack_ms=333 decay_ms=7"])
def test_a_pulse_moves_in_its_hits_own_frame_and_reaches_the_top_at_any_rate(rate, options):
    lift = np.zeros(300)
    lift[[20, 160]] = 1.0
    choice, context = StepChoice.parse(f"pulse {options}"), StepContext(rate=FrameRate.parse(rate))
    out = choice.spec.apply(lift, params=choice.params, context=context)
    for hit in (20, 160):
        assert out[hit - 1] == 0.0 < out[hit]
        assert out[hit : hit + 60].max() == 1.0
        late_s = int(out[hit : hit + 60].argmax()) / float(context.rate.fps)
        assert late_s == pytest.approx(choice.params.attack_ms / 1000, abs=0.5 / float(context.rate.fps) + 1e-9)


def test_pulses_that_overlap_are_as_high_as_the_highest():
    out = run("pulse attack_ms=0 decay_ms=400 as_strong=yes", [1, 0, 0.5, 0, 0, 0])
    np.testing.assert_allclose(out, [1, 0.5625, 0.5, 0.28125, 0.125, 0.03125], atol=1e-12)


def test_the_tracks_own_hits_count_when_they_are_chosen():
    hits = ((2, 1.0), (6, 0.5), (40, 1.0), (-3, 1.0))
    lift = np.full(10, 0.5)
    turns = run("take_turns hits=track", lift, hits=hits)
    assert np.sign(turns).tolist() == [1, 1, 1, 1, 1, 1, -1, -1, -1, -1]
    pulses = run("pulse attack_ms=0 decay_ms=200 as_strong=yes hits=track", lift, hits=hits)
    np.testing.assert_allclose(pulses, [0, 0, 1, 0.25, 0, 0, 0.5, 0.125, 0, 0], atol=1e-12)
    over = run("build_up starts_over=yes hits=track", np.ones(10), hits=hits)
    np.testing.assert_allclose(over, [0, 0.1, 0, 0.1, 0.2, 0.3, 0, 0.1, 0.2, 0.3], atol=1e-12)
    assert not StepChoice.parse("pulse").spec.needs_hits(StepChoice.parse("pulse").params)
    tracked = StepChoice.parse("pulse hits=track")
    assert tracked.spec.needs_hits(tracked.params)


@pytest.mark.parametrize(
    ("how", "expected"),
    [
        ("add", [0.5, 1.0, 1.5]),
        ("multiply", [0, 0.25, 0.5]),
        ("multiply amount=0.5", [0.25, 0.375, 0.5]),
        ("max", [0.5, 0.5, 1]),
        ("min", [0, 0.5, 0.5]),
        ("difference", [0.5, 0, 0]),
    ],
)
def test_another_envelope_joins_in(how, expected):
    levels = {"reed": np.array([0.0, 0.1, 0.2])}
    np.testing.assert_allclose(run(f"blend envelope=reed how={how}", [0.5, 0.5, 0.5], levels=levels), expected)
    assert run("blend", [0.5, 0.2]).tolist() == [0.5, 0.2]
    silent = {"reed": np.zeros(2)}
    assert run("blend envelope=reed", [0.5, 0.2], levels=silent).tolist() == [0, 0]


def test_a_sway_goes_to_both_sides_in_seconds_frames_or_beats():
    full = np.ones(9)
    quarter = [0, 1, 0, -1, 0, 1, 0, -1, 0]
    np.testing.assert_allclose(run("sway period=4 counted_in=frames", full), quarter, atol=1e-12)
    np.testing.assert_allclose(run("sway period=0.4", full), quarter, atol=1e-12)
    np.testing.assert_allclose(run("sway period=0.4 wave=triangle", full), quarter, atol=1e-12)
    assert run("sway period=0.4 wave=square", full).tolist() == [1, 1, -1, -1, 1, 1, -1, -1, 1]
    beats = [0.2, 0.4, 0.8]  # slower after the second; before and after, the tempo goes on
    swayed = run("sway period=2 counted_in=beats", full, beats=beats)
    np.testing.assert_allclose(swayed, np.sin(np.pi * np.array([-1, -0.5, 0, 0.5, 1, 1.25, 1.5, 1.75, 2])), atol=1e-12)
    assert run("sway counted_in=beats", full, beats=[1.0]).tolist() == [0] * 9
    assert np.abs(run("sway period=4 counted_in=frames", full * 0.5)).max() == pytest.approx(0.5)


def test_a_latch_goes_on_high_and_off_low():
    lift = [0, 0.5, 0.6, 0.5, 0.4, 0.39, 0.5, 1]
    assert run("latch on_above=0.6 off_below=0.4", lift).tolist() == [0, 0, 1, 1, 1, 0, 0, 1]
    assert run("latch on_above=0 off_below=0", [0, 0, 0.1, 0]).tolist() == [0, 0, 1, 1]
    with pytest.raises(InvalidParameter, match="Off below is 0.8"):
        StepChoice.parse("latch on_above=0.6 off_below=0.8")


def test_a_wobble_is_chance_that_a_seed_repeats_and_stays_within_lift():
    full = np.ones(300)
    one, two, other = (run("wobble share=1", full, seed=seed) for seed in (1, 1, 2))
    assert one.tobytes() == two.tobytes() and np.abs(one - other).max() > 0.5
    assert np.abs(one).max() <= 1 and one.std() > 0.2
    np.testing.assert_array_equal(run("wobble share=0", full), full)


def test_a_spring_swings_past_and_comes_to_rest_at_the_goal():
    out = run("spring frequency_hz=1 damping=0.2", np.ones(600), rate="60")
    assert 1.4 < out.max() < 1.6 and out[-1] == pytest.approx(1, abs=1e-3)
    peak = int(out.argmax())
    assert peak / 60 == pytest.approx(0.5 / np.sqrt(1 - 0.04), abs=0.03)  # half a swing of the damped frequency
    tight = run("spring frequency_hz=2 damping=1", np.ones(600), rate="60")
    assert tight.max() <= 1 + 1e-9 and (np.diff(tight) > -1e-12).all()


def test_a_spring_solves_its_equation():
    """Undamped, pulled at once to 1 over the first frame: 1 - sin(w t) / (w h) after it has run straight to 1."""
    h, w = 1 / 60, 2 * np.pi * 3
    out = run("spring frequency_hz=3 damping=0", np.ones(200), rate="60")
    time = np.arange(1, 201) * h
    expected = 1 - (np.sin(w * time) - np.sin(w * (time - h))) / (w * h)
    np.testing.assert_allclose(out, expected, atol=1e-9)


def test_hold_keeps_every_nth_frame_until_the_next():
    np.testing.assert_allclose(run("hold", [0.1, 0.2, 0.3, 0.4, 0.5]), [0.1, 0.1, 0.3, 0.3, 0.5])
    np.testing.assert_allclose(run("hold every=3", [[1, 2, 3, 4], [0, 5, 6, 7]]), [[1, 1, 1, 4], [0, 0, 0, 7]])
    np.testing.assert_allclose(run("hold every=1", [0.1, 0.2]), [0.1, 0.2])


def test_exponent_bends_and_mirrors():
    np.testing.assert_allclose(run("exponent power=2", [0, 0.5, 1, -0.5]), [0, 0.25, 1, -0.25])


@pytest.mark.parametrize("name", sorted(set(STEPS) - {"flip"}))
@given(lift=LIFTS)
def test_silence_stays_at_rest(name, lift):
    assert run(name, np.zeros_like(lift)).tolist() == [0.0] * len(lift)


TOLERANCE = {"pulse": 0.13, "swell": 0.06, "spring": 0.03, "latch": 0.0, "take_turns": 0.0}  # a hit falls on a frame
TIMELESS = set(STEPS) - {"shift", "hold"}


@pytest.mark.parametrize("name", sorted(TIMELESS))
def test_24_and_48_frames_a_second_agree_where_both_have_a_frame(name):
    """Shift (unless told otherwise) and hold count in frames, and are left out."""
    time = np.arange(480) / 48
    lift = np.clip(1.4 * np.sin(2 * np.pi * 0.4 * time) - 0.2, 0, 1)
    fast, slow = run(name, lift, rate="48"), run(name, lift[::2], rate="24")
    apart = np.abs(fast[::2] - slow)
    assert np.quantile(apart, 0.97) <= TOLERANCE.get(name, 0.012), apart.max()

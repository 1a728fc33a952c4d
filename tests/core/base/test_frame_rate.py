"""Frames, samples and seconds are exact, at every rate, for hours."""

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.frame_rate import COMMON_RATES, FrameRate

RATES = st.sampled_from([FrameRate.parse(text) for text in (*COMMON_RATES, "1", "12.5", "240", "48000/1001")])
SAMPLE_RATES = st.sampled_from([8_000, 22_050, 44_100, 48_000, 96_000, 192_000])


def test_the_24th_frame_at_23_976_begins_at_sample_48048():
    assert FrameRate.parse("24000/1001").first_sample(24, sample_rate_hz=48_000) == 48_048


@given(rate=RATES, sample_rate_hz=SAMPLE_RATES, frame=st.integers(0, 240 * 3600 * 6))
def test_a_frame_owns_the_samples_from_its_first_to_the_one_before_the_next_frames_first(rate, sample_rate_hz, frame):
    first = rate.first_sample(frame, sample_rate_hz=sample_rate_hz)
    after = rate.first_sample(frame + 1, sample_rate_hz=sample_rate_hz)
    assert first == -(-frame * sample_rate_hz * rate.fps.denominator // rate.fps.numerator)
    assert rate.frame_of_sample(first, sample_rate_hz=sample_rate_hz) == frame
    assert rate.frame_of_sample(after - 1, sample_rate_hz=sample_rate_hz) == frame
    assert Fraction(first, sample_rate_hz) >= rate.seconds(frame) > Fraction(first - 1, sample_rate_hz)


@given(rate=RATES, sample_rate_hz=SAMPLE_RATES, start=st.integers(0, 240 * 3600 * 6))
def test_many_frames_at_once_are_the_same_as_one_by_one(rate, sample_rate_hz, start):
    frames = np.arange(start, start + 5, dtype=np.int64)
    many = rate.first_samples(frames, sample_rate_hz=sample_rate_hz)
    assert many.tolist() == [rate.first_sample(int(k), sample_rate_hz=sample_rate_hz) for k in frames]
    middles = rate.middle_samples(frames, sample_rate_hz=sample_rate_hz)
    for frame, middle in zip(frames.tolist(), middles.tolist(), strict=True):
        exact = (rate.seconds(frame) + rate.seconds(frame + 1)) / 2 * sample_rate_hz
        assert abs(middle - exact) <= Fraction(1, 2)


@given(rate=RATES, sample_rate_hz=SAMPLE_RATES, n=st.integers(1, 10**9))
def test_the_frame_count_is_what_the_last_sample_reaches_into(rate, sample_rate_hz, n):
    assert (
        rate.n_frames(n, sample_rate_hz=sample_rate_hz)
        == rate.frame_of_sample(n - 1, sample_rate_hz=sample_rate_hz) + 1
    )


def test_there_is_no_drift_after_an_hour_at_23_976():
    rate = FrameRate.parse("24000/1001")
    assert rate.seconds(24000 * 60) == 1001 * 60
    assert rate.first_sample(24000 * 60, sample_rate_hz=48_000) == 1001 * 60 * 48_000


@given(rate=RATES, at=RATES, frame=st.integers(0, 240 * 3600 * 6))
def test_the_frames_of_another_rate_before_a_frame_are_those_that_begin_before_it(rate, at, frame):
    n = rate.frames_before(frame, at=at)
    assert at.seconds(n) >= rate.seconds(frame) and (n == 0 or at.seconds(n - 1) < rate.seconds(frame))


@pytest.mark.parametrize("text", ["0", "0.5", "241", "-30", "thirty", "", "1/0", "nan"])
def test_a_rate_that_is_none_is_refused_by_name(text):
    with pytest.raises(InvalidParameter, match="rate is"):
        FrameRate.parse(text)


@pytest.mark.parametrize(("text", "label"), [("24000/1001", "23.976"), ("30", "30"), ("12.5", "12.5")])
def test_a_rate_is_written_as_people_say_it(text, label):
    assert FrameRate.parse(text).label == label

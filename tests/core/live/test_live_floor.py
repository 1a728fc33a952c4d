"""What rises and hits that are heard live are held against: the last seconds, no more and no fewer of them."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fern_tide.core.envelope.live_hits import median_of
from fern_tide.core.sound.live_rises import FLOOR_S, RisesAsTheyCome

RATE_HZ = 44_100
HOP = RATE_HZ // 100


def rises_at_the_end(sound: np.ndarray) -> np.ndarray:
    """Give the rises of the last half a second, shape (bands, 50), heard in stretches of an odd size."""
    rising = RisesAsTheyCome(RATE_HZ)
    stretches = [rising.add(sound[np.newaxis, at : at + 4_999]).rises for at in range(0, len(sound), 4_999)]
    return np.concatenate(stretches, axis=1)[:, -50:]


@pytest.mark.parametrize(("seconds", "same"), [(FLOOR_S + 0.7, True), (FLOOR_S - 4.0, False)])
def test_the_floor_is_that_of_the_last_ten_seconds(seconds, same):
    """Noise that gets louder six seconds before the end: who heard ten seconds knows it quiet as who heard more."""
    noise = np.random.default_rng(4).normal(size=16 * RATE_HZ).astype(np.float32) * np.float32(0.1)
    noise[: 10 * RATE_HZ] *= np.float32(0.03)
    noise[: 2 * RATE_HZ] = 0.0
    whole, late = (rises_at_the_end(noise[-HOP * round(100 * length) :]) for length in (16.0, seconds))
    assert (np.abs(whole - late).max() < 1e-4) == same
    assert whole.max() > 0.05


@given(st.lists(st.floats(-1e3, 1e3), min_size=1, max_size=40))
def test_a_median_is_numpys(numbers):
    assert median_of(np.array(numbers)) == np.median(numbers)

"""Keys of every kind on odd curves: nothing between them is further off than was asked for, and none is too early."""

import numpy as np
import pytest

from fern_tide.core.bake.thin import Interpolation, thin


def odd_curves():
    """Falls, rises, long rests and noise, shape (channels, frames)."""
    rng = np.random.default_rng(8)
    falls = np.concatenate([np.full(40, 1.0), np.linspace(1.0, 0.0, 50), np.zeros(70), [0.03], np.zeros(30), [1.0]])
    noise = np.cumsum(rng.normal(size=400)) * 0.05
    spike = np.where(np.arange(90) == 33, 1.0, 0.0)[np.newaxis]
    return {
        "spike": spike,
        "falls": falls[np.newaxis],
        "noise": noise[np.newaxis],
        "both": np.stack([noise, np.sin(noise * 3)]),
    }


def farthest_step(rows, start, tolerance):
    """The first place that leaves the strip about a key, by hand."""
    at = start + 1
    while at < rows.shape[1] and all(abs(row[at] - row[start]) <= tolerance for row in rows):
        at += 1
    return at


@pytest.mark.parametrize("tolerance", [0.0, 0.02, 0.2])
@pytest.mark.parametrize("rows", odd_curves().values(), ids=odd_curves())
def test_a_step_lasts_until_the_value_leaves_its_strip_whichever_way(rows, tolerance):
    expected = [0]
    while (following := farthest_step(rows, expected[-1], tolerance)) < rows.shape[1]:
        expected.append(following)
    frames = thin(rows, tolerance=tolerance, interpolation=Interpolation.STEP).frames.tolist()
    assert frames == sorted({*expected, rows.shape[1] - 1}), "the end has a key"


@pytest.mark.parametrize("rows", odd_curves().values(), ids=odd_curves())
def test_a_cubic_stays_within_its_strip_half_way_between_frames_too(rows):
    keys = thin(rows, tolerance=0.02, interpolation=Interpolation.CUBIC)
    middles = np.arange(rows.shape[1] - 1) + 0.5
    between = keys.at(middles)
    assert (between >= np.minimum(rows[:, 1:], rows[:, :-1]) - 0.02 - 1e-12).all()
    assert (between <= np.maximum(rows[:, 1:], rows[:, :-1]) + 0.02 + 1e-12).all()
    assert np.abs(keys.at(np.arange(rows.shape[1], dtype=float)) - rows).max() <= 0.02 + 1e-12
    assert len(keys.frames) < rows.shape[1]


def test_a_cubic_over_uneven_places_stays_within_what_lies_beside_them():
    """From one place to one that is far off it would swing out on the way, where there is no place to see it."""
    rng = np.random.default_rng(0)
    for turn in range(200):
        rows = np.cumsum(rng.exponential(size=(1, 6)) ** 3, axis=1) * (-1) ** turn
        places = np.cumsum(rng.integers(1, 30, size=6)).astype(float)
        off = 0.3 * float(np.ptp(rows))
        keys = thin(rows, tolerance=off, interpolation=Interpolation.CUBIC, places=places)
        between = keys.at((places[1:] + places[:-1]) / 2)
        assert (between >= np.minimum(rows[:, 1:], rows[:, :-1]) - off - 1e-9).all(), turn
        assert (between <= np.maximum(rows[:, 1:], rows[:, :-1]) + off + 1e-9).all(), turn

"""The sync figure, against lags counted by hand."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fern_tide.core.bake.sync import peaks, sync


def bumps(*tops, frames=60, height=1.0):
    """Triangles seven frames wide, each furthest at its frame."""
    k = np.arange(frames)[:, None]
    return np.maximum(0.0, height * (1 - np.abs(k - np.array(tops)) / 4)).max(axis=1)


@pytest.mark.parametrize(
    ("excursion", "expected"),
    [
        ([0, 1, 0, 2, 0], [1, 3]),
        ([0, 1, 1, 1, 0], [1]),  # of a level top the first
        ([3, 2, 1, 2, 3], [4]),  # what begins there has not risen
        ([0, 1, 0.98, 1, 0], [1]),  # a ripple is no peak
        ([0, 0, 0], []),
        ([], []),
    ],
)
def test_peaks(excursion, expected):
    assert peaks(np.array(excursion, dtype=float)).tolist() == expected


def test_each_hit_takes_the_peak_nearest_to_it():
    measured = sync(bumps(12, 30, 44), np.array([10, 30, 45]), fps=30)
    assert measured.lags.tolist() == [2, 0, -1] and measured.misses == 0 and measured.median == 0


def test_halfway_between_two_peaks_the_later_one_answers():
    assert sync(bumps(12, 24), np.array([18]), fps=30).lags.tolist() == [6]


def test_peaks_that_answer_no_hit_are_counted():
    assert sync(bumps(12, 30, 44), np.array([10, 45]), fps=30).extras == 1
    assert sync(bumps(12, 30, 44), np.array([11, 13]), fps=30).extras == 2  # one answers both
    assert sync(bumps(12, 30), np.array([12, 30]), fps=30).extras == 0


def test_a_hit_without_a_peak_near_it_is_missed():
    measured = sync(bumps(12), np.array([10, 40]), fps=30)
    assert measured.lags.tolist() == [2] and measured.misses == 1
    assert sync(bumps(12), np.array([3]), fps=30).lags.tolist() == [9]  # 0.3 s reach as far as that
    assert sync(bumps(13), np.array([3]), fps=30).misses == 1
    assert sync(np.zeros(60), np.array([10, 40]), fps=30).misses == 2
    assert sync(bumps(12), np.array([], dtype=int), fps=30).misses == 0


@given(st.integers(0, 9), st.lists(st.integers(2, 12), min_size=1, max_size=12))
def test_what_is_so_many_frames_late_has_that_lag(late, tens):
    hits = np.cumsum(np.array(tens) + 20)
    measured = sync(bumps(*(hits + late), frames=int(hits[-1]) + 30), hits, fps=30)
    assert set(measured.lags.tolist()) == {float(late)} and measured.misses == 0 and measured.median == late

"""The beat grid of a project: what was found, and how people corrected it."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Frozen
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Id
from fern_tide.core.envelope.beats import NEAR_S, NO_BEATS, Beats

SLOWEST_BPM, FASTEST_BPM = 30.0, 300.0
MOST_BEATS = 200_000


class BeatSetting(Frozen, frozen=True):
    """The beat grid as the project keeps it: where it is found, and how it was corrected.

    Attributes:
        track: the track whose beats are found; None is the first that drives.
        bpm: beats a minute of an even grid set by hand; None is as found.
        first_s: of a grid set by hand, when one of its beats is, in seconds of the project.
        doublings: the found grid twice as fast for each, or half as fast for each below zero.
        half_on: whether the found grid is half a beat later.
        shift_s: the found grid so much later.
        per_bar: beats in a bar.
        bar_on: the bar begins so many beats later than found.
    """

    track: Id | None = None
    bpm: Annotated[float, Field(ge=SLOWEST_BPM, le=FASTEST_BPM)] | None = None
    first_s: Annotated[float, Field(ge=-1e6, le=1e6)] = 0.0
    doublings: Annotated[int, Field(ge=-3, le=3)] = 0
    half_on: bool = False
    shift_s: Annotated[float, Field(ge=-60, le=60)] = 0.0
    per_bar: Annotated[int, Field(ge=1, le=16)] = 4
    bar_on: Annotated[int, Field(ge=0, le=15)] = 0


def on_beat(times_s: FloatArray, beats_s: FloatArray) -> int:
    """Count the times that lie within 45 ms of a beat."""
    if not len(beats_s) or not len(times_s):
        return 0
    after = np.clip(np.searchsorted(beats_s, times_s), 1, max(1, len(beats_s) - 1))
    near = np.minimum(
        np.abs(beats_s[after - 1] - times_s), np.abs(beats_s[np.minimum(after, len(beats_s) - 1)] - times_s)
    )
    return int(np.count_nonzero(near <= NEAR_S))


def beat_grid(setting: BeatSetting, beats: Beats, *, offset_s: float, duration_s: float) -> Beats:
    """Give the project's beats: those found or set by hand, corrected, from the project's start to its end.

    Args:
        setting: how the grid was corrected.
        beats: the beats of the track, in its own seconds.
        offset_s: when the track begins in the project.
        duration_s: of the project.
    """
    if setting.bpm is not None:
        period = 60.0 / setting.bpm
        before = int(np.floor(setting.first_s / period + 1e-9))
        first = setting.first_s - before * period
        n = int(min(MOST_BEATS, max(0.0, np.ceil((duration_s - first) / period - 1e-9))))
        times = np.asarray(first + period * np.arange(n), dtype=np.float64)
        return Beats(times, setting.bpm, True, setting.per_bar, (before + setting.bar_on) % setting.per_bar)
    if len(beats.times_s) < 2:
        return NO_BEATS
    times, bar = beats.times_s + offset_s, beats.first_bar
    for _ in range(max(0, setting.doublings)):
        times = np.interp(np.arange(2 * len(times) - 1) / 2.0, np.arange(len(times)), times)
        bar *= 2
    for _ in range(max(0, -setting.doublings)):
        start = bar % 2
        times, bar = times[start::2], (bar - start) // 2
    if len(times) < 2:
        return NO_BEATS
    if setting.half_on:
        times = times + np.append(np.diff(times), times[-1] - times[-2]) / 2.0
    times = times + setting.shift_s
    first_gap, last_gap = times[1] - times[0], times[-1] - times[-2]
    n_before = max(0, int(np.floor(times[0] / first_gap + 1e-9)))
    n_after = max(0, int(np.ceil((duration_s - times[-1]) / last_gap - 1e-9)) - 1)
    before = times[0] - first_gap * np.arange(n_before, 0, -1)
    after = times[-1] + last_gap * np.arange(1, n_after + 1)
    whole = np.concatenate([before, times, after])
    inside = (whole >= -1e-9) & (whole < duration_s)
    n_cut = int(np.argmax(inside)) if inside.any() else 0
    bpm = 60.0 / float(np.median(np.diff(times)))
    bar = (bar + n_before - n_cut + setting.bar_on) % setting.per_bar
    return Beats(np.asarray(np.maximum(whole[inside], 0.0), dtype=np.float64), bpm, beats.steady, setting.per_bar, bar)

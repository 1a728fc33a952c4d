"""The beat grid of a project: what was found, and how people corrected it."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Annotated

import numpy as np
import numpy.typing as npt
from pydantic import Field, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.limits import Most
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Id
from fern_tide.core.envelope.beats import NEAR_S, NO_BEATS, Beats

SLOWEST_BPM, FASTEST_BPM = 30.0, 300.0
MOST_BEATS = 200_000
MOST_TEMPOS = 5_000


class Tempo(Frozen, frozen=True):
    """The tempo from a moment on, in seconds of the project; the first one begins with a beat that begins a bar."""

    time_s: Annotated[float, Field(ge=-36_000, le=36_000)]
    bpm: Annotated[float, Field(ge=1, le=1_000)]


class BeatSetting(Frozen, frozen=True):
    """The beat grid as the project keeps it: where it is found, and how it was corrected.

    Attributes:
        track: the track whose beats are found; None is the first that drives.
        bpm: beats a minute of an even grid set by hand; None is as found.
        first_s: of a grid set by hand, when one of its beats is, in seconds of the project.
        tempos: the tempo map of a song, rising in time, whose beats are the grid that is found; none is as detected.
        doublings: the found grid twice as fast for each, or half as fast for each below zero.
        half_on: whether the found grid is half a beat later.
        shift_s: the found grid so much later.
        per_bar: beats in a bar.
        bar_on: the bar begins so many beats later than found.
    """

    track: Id | None = None
    bpm: Annotated[float, Field(ge=SLOWEST_BPM, le=FASTEST_BPM)] | None = None
    first_s: Annotated[float, Field(ge=-1e6, le=1e6)] = 0.0
    tempos: Annotated[tuple[Tempo, ...], Most(MOST_TEMPOS), Field(exclude_if=lambda tempos: not tempos)] = ()
    doublings: Annotated[int, Field(ge=-3, le=3)] = 0
    half_on: bool = False
    shift_s: Annotated[float, Field(ge=-60, le=60)] = 0.0
    per_bar: Annotated[int, Field(ge=1, le=16)] = 4
    bar_on: Annotated[int, Field(ge=0, le=15)] = 0

    @model_validator(mode="after")
    def _in_time(self) -> BeatSetting:
        times = [tempo.time_s for tempo in self.tempos]
        if any(after <= before for before, after in pairwise(times)):
            raise InvalidParameter("tempo map", value="out of order", allowed="tempos that rise in time")
        return self

    @property
    def needs_track(self) -> bool:
        """Whether its beats are those that are detected in a track."""
        return self.bpm is None and not self.tempos


def are_on_beats(times_s: FloatArray, beats_s: FloatArray, *, within_s: float = NEAR_S) -> npt.NDArray[np.bool_]:
    """Say of times, shape (n,), which lie within 45 ms, or within_s, of one of the beats, which ascend."""
    if not len(beats_s):
        return np.zeros(len(times_s), dtype=np.bool_)
    after = np.searchsorted(beats_s, times_s)
    before = beats_s[np.maximum(after - 1, 0)]
    return (
        np.minimum(np.abs(before - times_s), np.abs(beats_s[np.minimum(after, len(beats_s) - 1)] - times_s)) <= within_s
    )


def on_beat(times_s: FloatArray, beats_s: FloatArray) -> int:
    """Count the times that lie within 45 ms of a beat."""
    return int(np.count_nonzero(are_on_beats(times_s, beats_s)))


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
    if setting.tempos:
        beats, offset_s = _of_tempos(setting.tempos, duration_s=duration_s), 0.0
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


def _of_tempos(tempos: Sequence[Tempo], *, duration_s: float) -> Beats:
    """Give the beats of a tempo map from its first moment to the project's end: beat n where n beats have gone by."""
    times = np.array([tempo.time_s for tempo in tempos])
    periods = 60.0 / np.array([tempo.bpm for tempo in tempos])
    gone = np.concatenate([[0.0], np.cumsum(np.diff(times) / periods[:-1])])
    last = gone[-1] + max(0.0, duration_s - times[-1]) / periods[-1]
    numbers = np.arange(min(MOST_BEATS, int(np.ceil(last - 1e-9))), dtype=np.float64)
    at = np.searchsorted(gone, numbers + 1e-9, side="right") - 1
    beats = times[at] + (numbers - gone[at]) * periods[at]
    return Beats(np.asarray(beats), 60.0 / float(np.median(periods)), len(tempos) == 1)

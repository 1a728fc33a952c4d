"""Beats: the tempo of a sound, and a beat grid that people can correct."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
import numpy.typing as npt
from pydantic import Field

from fern_tide.core.base.params import Frozen
from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.base.target import Id
from fern_tide.core.envelope.hits import Hits, find_hits, rise
from fern_tide.core.sound.onsets import rise_hop

SLOWEST_BPM, FASTEST_BPM = 30.0, 300.0
_LIKELY_BPM, _OCTAVES = 115.0, 0.9  # people tap near this; how wide the likelihood is
_SEARCHED_BPM = (45.0, 240.0)
_STRETCH_S, _EVERY_S = 10.0, 2.0  # the tempo is read over such stretches, this often
_BLUR_S = 0.015
_CHANGE = 12.0  # what a change of tempo costs on the way, per octave
_TIGHT = 400.0  # how much an uneven beat costs (D. Ellis, 'Beat tracking by dynamic programming', 2007)
_LOW_HZ = (20.0, 150.0)  # hits that tell where bars begin
_NEAR_S = 0.045  # a hit this near a beat is the beat
_STEADY_S = 0.004  # beats this near an even grid are an even grid
MOST_BEATS = 200_000


@dataclass(frozen=True)
class Beats:
    """A beat grid.

    Attributes:
        times_s: the beats, ascending; shape (beats,).
        bpm: beats a minute, the middle of the distances.
        steady: whether the beats are evenly spaced.
        per_bar: beats in a bar.
        first_bar: the index of a beat that begins a bar, 0 to per_bar - 1.
    """

    times_s: FloatArray
    bpm: float
    steady: bool = True
    per_bar: int = 4
    first_bar: int = 0

    @property
    def in_bar(self) -> npt.NDArray[np.int64]:
        """Each beat's place in its bar, counted from 1; shape (beats,)."""
        return np.asarray((np.arange(len(self.times_s)) - self.first_bar) % self.per_bar + 1, dtype=np.int64)


NO_BEATS = Beats(np.zeros(0), 0.0)


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


def rhythm(rises: Float32Array, power: Float32Array, *, sample_rate_hz: int) -> tuple[Hits, Beats]:
    """Find the hits of a sound's whole spectrum, and its beats.

    Args:
        rises: shape (bands, rises), from core/sound/onsets.py.
        power: shape (spans,), the mean power of every 32 samples.
        sample_rate_hz: of the sound.
    """
    novelty = rise(rises, low_hz=0.0, high_hz=sample_rate_hz / 2)
    lows = rise(rises, low_hz=_LOW_HZ[0], high_hz=_LOW_HZ[1])
    hits, low_hits = (find_hits(item, power, sample_rate_hz=sample_rate_hz) for item in (novelty, lows))
    return hits, find_beats(novelty, hits, low_hits, sample_rate_hz=sample_rate_hz)


def find_beats(rises: FloatArray, hits: Hits, low_hits: Hits, *, sample_rate_hz: int) -> Beats:
    """Find the beats of a sound.

    The tempo over time is the likeliest path through the autocorrelation of the rises; beats are then laid by dynamic
    programming (Ellis 2007) and drawn to the hits near them. An even grid is fitted where the hits agree with one.

    Args:
        rises: shape (rises,), of the whole spectrum.
        hits: of the whole spectrum.
        low_hits: of the lows, which tell where bars begin.
        sample_rate_hz: of the sound.

    Returns:
        Beats; none where the sound has fewer than four hits or no pulse.
    """
    hop_s = rise_hop(sample_rate_hz) / sample_rate_hz
    if len(hits) < 4 or len(rises) * hop_s < 2.0:
        return NO_BEATS
    novelty = _smoothed(rises, _BLUR_S / hop_s)
    periods = _tempo_curve(novelty, hop_s)
    path = _track(novelty, periods)
    if len(path) < 4:
        return NO_BEATS
    times = _drawn_to_hits(np.asarray(path * hop_s, dtype=np.float64), hits)
    beats = _even(times, hits)
    phase = _first_bar(beats.times_s, low_hits, 4)
    return Beats(beats.times_s, beats.bpm, beats.steady, 4, phase)


def _smoothed(values: FloatArray, sigma: float) -> FloatArray:
    from scipy.ndimage import gaussian_filter1d  # slow to import

    return np.asarray(gaussian_filter1d(values, sigma, mode="constant"))


def _tempo_curve(novelty: FloatArray, hop_s: float) -> FloatArray:
    """Give the beat's period in hops at every hop."""
    import scipy.fft

    size, step = round(_STRETCH_S / hop_s), round(_EVERY_S / hop_s)
    padded = np.pad(novelty, (size // 2, size))
    starts = np.arange(0, len(novelty), step)
    tempi = np.geomspace(*_SEARCHED_BPM, 160)
    lags = 60.0 / tempi / hop_s
    likely = -0.5 * (np.log2(tempi / _LIKELY_BPM) / _OCTAVES) ** 2
    scores = np.zeros((len(starts), len(tempi)))
    for at, start in enumerate(starts):
        stretch = padded[start : start + size]
        stretch = stretch - stretch.mean()
        spectrum = scipy.fft.rfft(stretch, 2 * size)
        auto = scipy.fft.irfft(spectrum * spectrum.conj())[:size]
        if auto[0] <= 0:
            continue
        auto = auto / auto[0] * size / np.maximum(size - np.arange(size), 1)
        comb = sum(np.interp(lags * k, np.arange(size), auto) for k in (1, 2, 3, 4))
        scores[at] = 4.0 * np.asarray(comb) / 4.0 + likely
    path = _best_path(scores, np.log2(tempi))
    return np.interp(np.arange(len(novelty)), starts, lags[path])


def _best_path(scores: FloatArray, octaves: FloatArray) -> npt.NDArray[np.intp]:
    """Viterbi: the path of the highest score, a change of tempo costing by its octaves."""
    cost = _CHANGE * np.abs(octaves[:, None] - octaves[None, :])
    best = scores[0].copy()
    back = np.zeros(scores.shape, dtype=np.intp)
    for at in range(1, len(scores)):
        reached = best[:, None] - cost
        back[at] = reached.argmax(axis=0)
        best = reached.max(axis=0) + scores[at]
    path = np.zeros(len(scores), dtype=np.intp)
    path[-1] = int(best.argmax())
    for at in range(len(scores) - 1, 0, -1):
        path[at - 1] = back[at, path[at]]
    return path


def _track(novelty: FloatArray, periods: FloatArray) -> npt.NDArray[np.intp]:
    """Lay beats so that they fall on rises and keep the period; gives hops."""
    strong = novelty / (novelty.std() or 1.0)
    total = strong.copy()
    back = np.full(len(strong), -1, dtype=np.intp)
    at = 0
    while at < len(strong):  # a stretch at a time: no beat in it can follow another in it
        period = float(periods[at])
        apart = np.arange(max(1, int(period * 0.6)), int(period * 1.8) + 1)
        here = np.arange(at, min(len(strong), at + int(apart[0])))
        before = here[:, None] - apart
        reached = np.where(before >= 0, total[np.maximum(before, 0)], -np.inf)
        reached -= _TIGHT * 0.25 * np.log2(apart / period) ** 2
        best = reached.argmax(axis=1)
        gained = reached[np.arange(len(here)), best]
        follows = gained > 0
        total[here[follows]] += gained[follows]
        back[here[follows]] = before[np.arange(len(here)), best][follows]
        at += len(here)
    tail = int(np.ceil(periods[-1]))
    at = len(total) - tail + int(total[-tail:].argmax())
    path = []
    while at >= 0:
        path.append(at)
        at = int(back[at])
    return np.array(path[::-1], dtype=np.intp)


def _drawn_to_hits(times: FloatArray, hits: Hits) -> FloatArray:
    """Move each beat to the strongest hit near it; those without one go between their moved neighbours."""
    moved = np.full(len(times), np.nan)
    for at, time in enumerate(times):
        near = np.flatnonzero(np.abs(hits.times_s - time) <= _NEAR_S)
        if len(near):
            moved[at] = hits.times_s[near[np.argmax(hits.strengths[near] - 4 * np.abs(hits.times_s[near] - time))]]
    known = np.flatnonzero(~np.isnan(moved))
    if len(known) < 2:
        return times
    shifts = np.interp(np.arange(len(times)), known, (moved - times)[known])
    out = times + shifts
    return np.asarray(out[np.concatenate([[True], np.diff(out) > 0.05])])


def _even(times: FloatArray, hits: Hits) -> Beats:
    """Fit an even grid where nearly all beats with a hit lie on one, else keep the beats."""
    gaps = np.diff(times)
    bpm = 60.0 / float(np.median(gaps))
    on_hit = np.array([np.min(np.abs(hits.times_s - time)) < 1e-6 for time in times])
    index = np.concatenate([[0], np.cumsum(np.maximum(np.round(gaps * bpm / 60.0), 1.0))])
    fit_on = on_hit if np.count_nonzero(on_hit) >= 4 else np.ones(len(times), dtype=bool)
    slope, first = _theil_sen(index[fit_on], times[fit_on])
    off = np.abs(times[fit_on] - (first + slope * index[fit_on]))
    if slope <= 0 or np.percentile(off, 80) > _STEADY_S:
        return Beats(times, bpm, False)
    close = off <= _STEADY_S
    slope, first = np.polyfit(index[fit_on][close], times[fit_on][close], 1)
    even = first + slope * np.arange(int(index[-1]) + 1)
    return Beats(np.asarray(even[even > -slope / 2]), 60.0 / float(slope), True)


def _theil_sen(index: FloatArray, times: FloatArray) -> tuple[float, float]:
    """Fit a line that outliers do not pull: the median slope between far pairs, and the median offset."""
    half = max(1, len(index) // 2)
    slopes = (times[half:] - times[:-half]) / np.maximum(index[half:] - index[:-half], 1.0)
    slope = float(np.median(slopes))
    return slope, float(np.median(times - slope * index))


def _first_bar(times: FloatArray, low_hits: Hits, per_bar: int) -> int:
    """Give which of the first beats has the strongest low hits: where bars likely begin."""
    weights = np.zeros(per_bar)
    for at, time in enumerate(times):
        near = np.abs(low_hits.times_s - time) <= _NEAR_S
        if near.any():
            weights[at % per_bar] += float(low_hits.strengths[near].max())
    return int(weights.argmax())


def on_beat(times_s: FloatArray, beats_s: FloatArray) -> int:
    """Count the times that lie within 45 ms of a beat."""
    if not len(beats_s) or not len(times_s):
        return 0
    after = np.clip(np.searchsorted(beats_s, times_s), 1, max(1, len(beats_s) - 1))
    near = np.minimum(
        np.abs(beats_s[after - 1] - times_s), np.abs(beats_s[np.minimum(after, len(beats_s) - 1)] - times_s)
    )
    return int(np.count_nonzero(near <= _NEAR_S))


def beat_grid(setting: BeatSetting, found: Beats, *, offset_s: float, duration_s: float) -> Beats:
    """Give the project's beats: those found or set by hand, corrected, from the project's start to its end.

    Args:
        setting: how the grid was corrected.
        found: the beats of the track, in its own seconds.
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
    if len(found.times_s) < 2:
        return NO_BEATS
    times, bar = found.times_s + offset_s, found.first_bar
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
    return Beats(np.asarray(np.maximum(whole[inside], 0.0), dtype=np.float64), bpm, found.steady, setting.per_bar, bar)

"""Beats: the tempo of a sound, and the beats that are found in it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.envelope.hits import Hits, find_hits, rise
from fern_tide.core.sound.onsets import rise_hop

VERSION = 2  # of hits and beats: a change that changes them raises it
_LIKELY_BPM, _OCTAVES = 115.0, 0.9  # people tap near this; how wide the likelihood is
_SEARCHED_BPM = (45.0, 240.0)
_STRETCH_S, _EVERY_S = 10.0, 2.0  # the tempo is read over such stretches, this often
_BLUR_S = 0.015
_CHANGE = 12.0  # what a change of tempo costs on the way, per octave
_TIGHT = 400.0  # how much an uneven beat costs (D. Ellis, 'Beat tracking by dynamic programming', 2007)
_LOW_HZ = (20.0, 150.0)  # hits that tell where bars begin
NEAR_S = 0.045  # a hit this near a beat is the beat
_STEADY_S = 0.004  # beats this near an even grid are an even grid


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


def rhythm(rises: Float32Array, attacks: Float32Array, *, sample_rate_hz: int) -> tuple[Hits, Beats]:
    """Find the hits of a sound's whole spectrum, and its beats.

    Args:
        rises: shape (bands, rises), from core/sound/onsets.py.
        attacks: shape (4, rises), from core/sound/attacks.py.
        sample_rate_hz: of the sound.
    """
    bands = ((0.0, sample_rate_hz / 2), _LOW_HZ)
    novelty, lows = (rise(rises, low_hz=a, high_hz=b, sample_rate_hz=sample_rate_hz) for a, b in bands)
    hits, low_hits = (find_hits(item, attacks, sample_rate_hz=sample_rate_hz) for item in (novelty, lows))
    pulse = rise(rises, low_hz=0.0, high_hz=sample_rate_hz / 2, sample_rate_hz=sample_rate_hz, evenly=True)
    return hits, find_beats(pulse, hits, low_hits, sample_rate_hz=sample_rate_hz)


def find_beats(rises: FloatArray, hits: Hits, low_hits: Hits, *, sample_rate_hz: int) -> Beats:
    """Find the beats of a sound.

    The tempo over time is the likeliest path through the autocorrelation of the rises; beats are then laid by dynamic
    programming (Ellis 2007) and drawn to the hits near them. An even grid is fitted where the hits agree with one.

    Args:
        rises: shape (rises,), of the whole spectrum, every octave counting as much.
        hits: of the whole spectrum.
        low_hits: of the lows, which tell where bars begin.
        sample_rate_hz: of the sound.

    Returns:
        Beats; none where the sound has fewer than four hits or no pulse.
    """
    hop_s = rise_hop(sample_rate_hz) / sample_rate_hz
    if len(hits) < 4 or len(rises) * hop_s < 2.0:
        return NO_BEATS
    novelty = _smoothed(np.sqrt(rises), _BLUR_S / hop_s)  # the root: one loud drum does not hide the beats between
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
    reach = int(periods.max() * 1.8) + 1
    total = np.concatenate([np.full(reach, -np.inf), strong])  # before the start there is no beat to follow
    back = np.full(len(strong), -1, dtype=np.intp)
    at, period = 0, 0.0
    while at < len(strong):  # a stretch at a time: no beat in it can follow another in it
        if periods[at] != period:
            period = float(periods[at])
            apart = np.arange(max(1, int(period * 0.6)), int(period * 1.8) + 1)
            cost = _TIGHT * 0.25 * np.log2(apart / period) ** 2
        here = np.arange(at, min(len(strong), at + int(apart[0])))
        reached = total[here[:, None] + (reach - apart)] - cost
        best = reached.argmax(axis=1)
        gained = reached.max(axis=1)
        follows = gained > 0
        total[reach + here[follows]] += gained[follows]
        back[here[follows]] = (here - apart[best])[follows]
        at += len(here)
    total = total[reach:]
    tail = int(np.ceil(periods[-1]))
    at = len(total) - tail + int(total[-tail:].argmax())
    path = []
    while at >= 0:
        path.append(at)
        at = int(back[at])
    return np.array(path[::-1], dtype=np.intp)


def _near(times: FloatArray, hits: Hits) -> Iterator[tuple[int, slice]]:
    """Give each of some times that has hits near it: its place, and where those hits are."""
    firsts = np.searchsorted(hits.times_s, times - NEAR_S)
    ends = np.searchsorted(hits.times_s, times + NEAR_S, side="right")
    for at in np.flatnonzero(ends > firsts).tolist():
        yield at, slice(int(firsts[at]), int(ends[at]))


def _drawn_to_hits(times: FloatArray, hits: Hits) -> FloatArray:
    """Move each beat to the strongest hit near it; those without one go between their moved neighbours."""
    moved = np.full(len(times), np.nan)
    for at, near in _near(times, hits):
        own = hits.times_s[near]
        moved[at] = own[np.argmax(hits.strengths[near] - 4 * np.abs(own - times[at]))]
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
    after = np.clip(np.searchsorted(hits.times_s, times), 1, len(hits) - 1)
    nearest = np.minimum(np.abs(hits.times_s[after] - times), np.abs(hits.times_s[after - 1] - times))
    on_hit = nearest < 1e-6
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
    for at, near in _near(times, low_hits):
        weights[at % per_bar] += float(low_hits.strengths[near].max())
    return int(weights.argmax())

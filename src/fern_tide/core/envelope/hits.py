"""Hits: where a sound sets in, with its time to the sample and a strength."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.sound.attacks import Attack
from fern_tide.core.sound.onsets import band_freedom, rise_edges_hz, rise_hop

USUAL_SENSITIVITY, USUAL_GAP_MS = 0.5, 80.0
_AROUND_S = 1.5  # the threshold adapts to what lies this far to both sides
_PEAK_S = 0.030  # a hit is the highest rise within this far to both sides
DEVIATIONS = 8.0  # above the local median: what a hit must reach at sensitivity 0.5
DEVIATION = 1.4826  # of a normal distribution, in median absolute deviations
_STRONGEST = 99.7  # percentile of all rises that is a strong hit
STRONG = 0.12  # of it: what a hit must reach at sensitivity 0.5
HARDLY = 0.02  # a rise that is only rounding
_FULL = 90.0  # percentile of the hits' own rises that counts as full strength
_BEFORE, _AFTER = 3, 1  # hops about a peak in which the sound may set in
_STEEP = 0.5  # a climb that is none
_CUT_HOPS = 2  # before and after a hit, whose power tells whether it is an end
GONE = 0.2  # of the power before


@dataclass(frozen=True)
class Hits:
    """Hits of a sound.

    Attributes:
        times_s: when, in seconds of the sound, ascending; shape (hits,).
        strengths: how strong, 0 to 1, against the strongest; shape (hits,).
    """

    times_s: FloatArray
    strengths: FloatArray

    def __len__(self) -> int:
        return len(self.times_s)


def rise(
    rises: Float32Array, *, low_hz: float, high_hz: float, sample_rate_hz: int, evenly: bool = False
) -> FloatArray:
    """Average the rises of the bands between two frequencies, edges cutting bands by fraction (in octaves).

    A band counts by the root of its freedom: the wider it is, the less noise alone moves it.

    Args:
        rises: shape (bands, rises), from core/sound/onsets.py.
        low_hz: the lower edge.
        high_hz: the upper edge.
        sample_rate_hz: of the sound.
        evenly: every octave counts as much: for the beat, which low drums tell more than many ticks.

    Returns:
        Shape (rises,).
    """
    edges = np.log2(rise_edges_hz())
    low, high = np.log2(max(low_hz, 1.0)), np.log2(max(high_hz, 1.0))
    covered = np.minimum(high, edges[1:]) - np.maximum(low, edges[:-1])
    weights = np.maximum(covered, 0.0) / np.diff(edges)
    if weights.sum() == 0.0:
        weights[np.argmin(np.abs(edges[:-1] - low))] = 1.0  # outside of what is read: the nearest band
    if not evenly:
        weights *= np.sqrt(band_freedom(sample_rate_hz))
    shares = (weights / weights.sum()).astype(np.float32)
    return np.asarray(shares @ rises, dtype=np.float64)  # in float64, rises of hours are large


def find_hits(
    rises: FloatArray,
    attacks: Float32Array,
    *,
    sample_rate_hz: int,
    sensitivity: float = USUAL_SENSITIVITY,
    least_gap_s: float = USUAL_GAP_MS / 1000.0,
) -> Hits:
    """Find where a sound sets in.

    A hit is a peak of the rise that stands out from the three seconds around it by eight of their deviations, and that
    is at least an eighth of a strong hit; sensitivity scales both. Of peaks closer than the least gap the strongest
    stays. Its time is the sample at which the sound sets in near the peak, never before it.

    Args:
        rises: shape (rises,), as rise gives it.
        attacks: shape (4, rises), from core/sound/attacks.py.
        sample_rate_hz: of the sound.
        sensitivity: 0 takes only the strongest, 1 nearly everything.
        least_gap_s: no two hits are closer.
    """
    hop = rise_hop(sample_rate_hz)
    hop_s = hop / sample_rate_hz
    if not len(rises):
        return Hits(np.zeros(0), np.zeros(0))
    least = _threshold(rises, round(_AROUND_S / hop_s), sensitivity=sensitivity)
    reach = max(1, round(_PEAK_S / hop_s))
    peaks = np.flatnonzero((rises >= _running_max(rises, reach)) & (rises > least))
    peaks = _apart(peaks, rises[peaks], max(1, round(least_gap_s / hop_s)))
    peaks = peaks[~_ends(peaks, attacks)]
    if not len(peaks):
        return Hits(np.zeros(0), np.zeros(0))
    times = _sharpened(peaks, attacks, hop) / sample_rate_hz
    order = np.argsort(times, kind="stable")
    heights = rises[peaks][order]
    times, strengths = times[order], np.minimum(heights / np.percentile(heights, _FULL), 1.0)
    keep = np.diff(times, prepend=-np.inf) >= min(least_gap_s, _PEAK_S) * 0.5
    return Hits(times[keep], strengths[keep])


def _threshold(rises: FloatArray, reach: int, *, sensitivity: float) -> FloatArray:
    """Give what a rise must reach at every place to be a hit, shape (rises,)."""
    median = _running_median(rises, reach)
    deviation = _running_median(np.abs(rises - median), reach) * DEVIATION
    out = median + DEVIATIONS * 2.0 ** (1.0 - 2.0 * sensitivity) * deviation
    strong = STRONG * 4.0 ** (1.0 - 2.0 * sensitivity) * float(np.percentile(rises, _STRONGEST))
    return np.asarray(np.maximum(out, max(strong, HARDLY)))


def _ends(peaks: npt.NDArray[np.intp], attacks: Float32Array) -> npt.NDArray[np.bool_]:
    """Say where a sound is cut off: the spectrum spreads there as at a hit, but afterwards all of its power is gone."""
    power = np.pad(attacks[[Attack.POWER, Attack.HIGH_POWER]].astype(np.float64), ((0, 0), (_CUT_HOPS + 2,) * 2))
    at = peaks + _CUT_HOPS + 2
    before = power[:, at[:, None] - np.arange(2, 2 + _CUT_HOPS)].sum(axis=-1)
    after = power[:, at[:, None] + np.arange(1, 1 + _CUT_HOPS)].sum(axis=-1)
    return np.asarray((after < before * GONE).all(axis=0))


def _sharpened(peaks: npt.NDArray[np.intp], attacks: Float32Array, hop: int) -> FloatArray:
    """Give the sample of the steepest climb near each peak; where none climbs, the peak itself."""
    hops = np.clip(peaks[:, None] + np.arange(-_BEFORE, _AFTER + 1), 0, attacks.shape[1] - 1)
    climbs = attacks[Attack.CLIMB][hops]
    rows, best = np.arange(len(peaks)), climbs.argmax(axis=1)
    hop_of, climb = hops[rows, best], climbs[rows, best]
    samples = hop_of * hop + np.round(attacks[Attack.SAMPLE][hop_of])
    return np.where(climb < _STEEP, peaks * hop, np.maximum(samples, 0.0))


def _running_median(values: FloatArray, reach: int) -> FloatArray:
    from scipy.ndimage import median_filter  # slow to import

    return np.asarray(median_filter(values, size=2 * reach + 1, mode="constant"))


def _running_max(values: FloatArray, reach: int) -> FloatArray:
    from scipy.ndimage import maximum_filter1d  # slow to import

    return np.asarray(maximum_filter1d(values, size=2 * reach + 1, mode="constant"))


def _apart(peaks: npt.NDArray[np.intp], heights: FloatArray, gap: int) -> npt.NDArray[np.intp]:
    """Keep the highest peaks such that no two are closer than the gap."""
    taken: list[int] = []
    blocked = np.zeros(int(peaks[-1]) + gap + 1 if len(peaks) else 0, dtype=bool)
    for at in peaks[np.argsort(-heights, kind="stable")]:
        if not blocked[at]:
            taken.append(int(at))
            blocked[max(0, at - gap + 1) : at + gap] = True
    return np.array(sorted(taken), dtype=np.intp)

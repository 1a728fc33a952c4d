"""Hits: where a sound sets in, with a time near the sample and a strength."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.sound.onsets import rise_edges_hz, rise_hop
from fern_tide.core.sound.running import POWER_SAMPLES

USUAL_SENSITIVITY, USUAL_GAP_MS = 0.5, 80.0
_AROUND_S = 0.100  # the threshold adapts to the median of what lies this far to both sides
_PEAK_S = 0.030  # a hit is the highest rise within this far to both sides
_BEFORE_S, _AFTER_S = 0.025, 0.012  # where the sample-near start of a hit is looked for
_LAG_SPANS = 3
_GONE = 0.2  # of the power before
_STRONGEST = 98.0  # percentile of all rises that counts as full strength
_STRONG = 0.20  # of it: what a hit must reach at sensitivity 0.5
_HARDLY = 0.05  # a rise that is only rounding


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


def rise(rises: Float32Array, *, low_hz: float, high_hz: float) -> FloatArray:
    """Add up the rises of the bands between two frequencies, edges cutting bands by fraction (in octaves).

    Args:
        rises: shape (bands, rises), from core/sound/onsets.py.
        low_hz: the lower edge.
        high_hz: the upper edge.

    Returns:
        Shape (rises,).
    """
    edges = np.log2(rise_edges_hz())
    low, high = np.log2(max(low_hz, 1.0)), np.log2(max(high_hz, 1.0))
    covered = np.minimum(high, edges[1:]) - np.maximum(low, edges[:-1])
    weights = np.maximum(covered, 0.0) / np.diff(edges)
    if weights.sum() == 0.0:
        weights[np.argmin(np.abs(edges[:-1] - low))] = 1.0  # outside of what is read: the nearest band
    return np.asarray(weights.astype(np.float32) @ rises, dtype=np.float64)  # in float64, rises of hours are large


def find_hits(
    rises: FloatArray,
    power: Float32Array,
    *,
    sample_rate_hz: int,
    sensitivity: float = USUAL_SENSITIVITY,
    least_gap_s: float = USUAL_GAP_MS / 1000.0,
) -> Hits:
    """Find where a sound sets in.

    A hit is a peak of the rise that stands out from the median around it, by an amount that sensitivity scales; of
    peaks closer than the least gap the strongest stays. Its time is then sharpened to 32 samples.

    Args:
        rises: shape (rises,), as rise gives it.
        power: shape (spans,), the mean power of every 32 samples.
        sample_rate_hz: of the sound.
        sensitivity: 0 takes only the strongest, 1 nearly everything.
        least_gap_s: no two hits are closer.
    """
    hop_s = rise_hop(sample_rate_hz) / sample_rate_hz
    climbing = rises[rises > _HARDLY]
    if not len(climbing):
        return Hits(np.zeros(0), np.zeros(0))
    scale = float(np.percentile(climbing, _STRONGEST))
    above = rises - _running_median(rises, round(_AROUND_S / hop_s))
    least = scale * _STRONG * 4.0 ** (1.0 - 2.0 * sensitivity) * 0.5
    reach = max(1, round(_PEAK_S / hop_s))
    peaks = np.flatnonzero((rises >= _running_max(rises, reach)) & (above > max(least, _HARDLY)))
    peaks = _apart(peaks, rises[peaks], max(1, round(least_gap_s / hop_s)))
    times = _sharpened(np.asarray(peaks * hop_s, dtype=np.float64), power, sample_rate_hz)
    begins = ~_ends(times, power, sample_rate_hz)
    peaks, times = peaks[begins], times[begins]
    order = np.argsort(times, kind="stable")
    times, strengths = times[order], np.minimum(rises[peaks][order] / scale, 1.0)
    keep = np.diff(times, prepend=-np.inf) >= min(least_gap_s, _PEAK_S) * 0.5
    return Hits(times[keep], strengths[keep])


def _ends(times_s: FloatArray, power: Float32Array, sample_rate_hz: int) -> npt.NDArray[np.bool_]:
    """Say where a sound is cut off: the spectrum spreads there as at a hit, but the power is gone afterwards."""
    span = POWER_SAMPLES / sample_rate_hz
    reach = round(_BEFORE_S / span)
    total = np.concatenate([[0.0], np.cumsum(power, dtype=np.float64)])
    at = np.clip(np.round(times_s / span).astype(np.int64), 0, len(power))
    before = total[at] - total[np.maximum(at - reach, 0)]
    later = np.minimum(at + round(_AFTER_S / span), len(power))
    after = total[np.minimum(later + reach, len(power))] - total[later]
    return np.asarray(after < before * _GONE)


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


def _sharpened(about_s: FloatArray, power: Float32Array, sample_rate_hz: int) -> FloatArray:
    """Give the times at which the power begins its steepest climb near each time; where none climbs, the time itself.

    Args:
        about_s: shape (hits,).
        power: the mean power of every 32 samples.
        sample_rate_hz: of the sound.
    """
    span_s = POWER_SAMPLES / sample_rate_hz
    first = (about_s / span_s).astype(np.int64) - round(_BEFORE_S / span_s)
    width = round((_BEFORE_S + _AFTER_S) / span_s) + _LAG_SPANS + 2
    padded = np.pad(power.astype(np.float64), (width, width))
    starts = np.clip(first, -_LAG_SPANS - 1, max(0, len(power))) + width - _LAG_SPANS - 1
    near = np.lib.stride_tricks.sliding_window_view(padded, width)[starts]
    near = (near[:, 1:] + near[:, :-1]) / 2.0
    levels = np.log(near + near.max(axis=1, keepdims=True) * 1e-3 + 1e-12)
    climbs = levels[:, _LAG_SPANS:] - levels[:, :-_LAG_SPANS]
    best = climbs.argmax(axis=1)
    rows = np.arange(len(about_s))
    steps = np.stack([levels[rows, best + at + 1] - levels[rows, best + at] for at in range(_LAG_SPANS)])
    first_step = (steps > 0.3 * steps.max(axis=0)).argmax(axis=0)
    begun = (starts - width + best + first_step + 2) * span_s
    return np.where(climbs[rows, best] < 0.5, about_s, np.maximum(begun, 0.0))

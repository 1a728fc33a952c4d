"""Hits: where a sound sets in, with a time near the sample and a strength."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.sound.onsets import POWER_SAMPLES, rise_edges_hz, rise_hop

_AROUND_S = 0.100  # the threshold adapts to the median of what lies this far to both sides
_PEAK_S = 0.030  # a hit is the highest rise within this far to both sides
_BEFORE_S, _AFTER_S = 0.025, 0.012  # where the sample-near start of a hit is looked for
_LAG_SPANS = 3
_STRONG = 0.20  # of the 99.5th percentile of rises: what a hit must reach at sensitivity 0.5
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
    return np.asarray(weights @ rises, dtype=np.float64)


def find_hits(
    rises: FloatArray, power: Float32Array, *, sample_rate_hz: int, sensitivity: float, least_gap_s: float
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
    scale = float(np.percentile(rises[rises > 0], 99.5)) if np.any(rises > 0) else 0.0
    if scale < _HARDLY:
        return Hits(np.zeros(0), np.zeros(0))
    above = rises - _running_median(rises, round(_AROUND_S / hop_s))
    least = scale * _STRONG * 4.0 ** (1.0 - 2.0 * sensitivity) * 0.5
    reach = max(1, round(_PEAK_S / hop_s))
    windows = np.lib.stride_tricks.sliding_window_view(np.pad(rises, reach), 2 * reach + 1)
    peaks = np.flatnonzero((rises >= windows.max(axis=-1)) & (above > max(least, _HARDLY)))
    peaks = _apart(peaks, rises[peaks], max(1, round(least_gap_s / hop_s)))
    times = np.array([_sharpened(at * hop_s, power, sample_rate_hz) for at in peaks])
    order = np.argsort(times, kind="stable")
    times, strengths = times[order], np.minimum(rises[peaks][order] / scale, 1.0)
    keep = np.diff(times, prepend=-np.inf) >= min(least_gap_s, _PEAK_S) * 0.5
    return Hits(times[keep], strengths[keep])


def _running_median(values: FloatArray, reach: int) -> FloatArray:
    from scipy.ndimage import median_filter  # slow to import

    return np.asarray(median_filter(values, size=2 * reach + 1, mode="constant"))


def _apart(peaks: npt.NDArray[np.intp], heights: FloatArray, gap: int) -> npt.NDArray[np.intp]:
    """Keep the highest peaks such that no two are closer than the gap."""
    taken: list[int] = []
    blocked = np.zeros(int(peaks[-1]) + gap + 1 if len(peaks) else 0, dtype=bool)
    for at in peaks[np.argsort(-heights, kind="stable")]:
        if not blocked[at]:
            taken.append(int(at))
            blocked[max(0, at - gap + 1) : at + gap] = True
    return np.array(sorted(taken), dtype=np.intp)


def _sharpened(about_s: float, power: Float32Array, sample_rate_hz: int) -> float:
    """Give the time at which the power begins its steepest climb near a time; the time itself where none climbs."""
    span_s = POWER_SAMPLES / sample_rate_hz
    first = max(0, int((about_s - _BEFORE_S) / span_s))
    last = min(len(power), int((about_s + _AFTER_S) / span_s) + 1)
    if last - first < 2 * _LAG_SPANS:
        return about_s
    lead = np.zeros(_LAG_SPANS) if first == 0 else np.asarray(power[max(0, first - _LAG_SPANS) : first])
    near = np.concatenate([lead, power[first:last]]).astype(np.float64)
    near = np.convolve(near, np.ones(2) / 2, mode="full")[: len(near)]
    floor = near.max() * 1e-3 + 1e-12
    levels = np.log(near + floor)
    climbs = levels[_LAG_SPANS:] - levels[: len(levels) - _LAG_SPANS]
    best = int(np.argmax(climbs))
    if climbs[best] < 0.5:
        return about_s
    start = best + len(levels) - len(climbs) - _LAG_SPANS  # the span before the climb
    steps = np.diff(levels[start : start + _LAG_SPANS + 1])
    first_step = int(np.argmax(steps > 0.3 * steps.max()))
    return max(0.0, (first + start + first_step + 1 - len(lead)) * span_s)

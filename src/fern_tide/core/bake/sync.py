"""How far motion lies behind its hits: the sync figure (SIGNAL.md)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import FloatArray

REACH_S = 0.3  # a peak further from its hit answers something else
_RISES = 0.05  # of the largest excursion: what a bump needs over what lies before it to be a peak


@dataclass(frozen=True, eq=False)
class Sync:
    """How a motion lies to the hits that drive it.

    Attributes:
        by_hit: from each hit to the nearest peak, in frames, late above 0; NaN for a hit that no peak answers,
            shape (hits,).
        extras: how many peaks answer no hit.
    """

    by_hit: FloatArray
    extras: int = 0

    @property
    def lags(self) -> FloatArray:
        """Those of the hits that are answered, shape (answered hits,)."""
        return self.by_hit[~np.isnan(self.by_hit)]

    @property
    def misses(self) -> int:
        """How many hits have no peak near them."""
        return int(np.count_nonzero(np.isnan(self.by_hit)))

    @property
    def median(self) -> float:
        """The middle lag, in frames; 0 where no hit is answered."""
        return float(np.median(self.lags)) if self.lags.size else 0.0

    @property
    def p95(self) -> float:
        """How far 95 % of the answered hits lie from their peaks at most, early or late, in frames."""
        return float(np.percentile(np.abs(self.lags), 95)) if self.lags.size else 0.0

    def histogram(self, *, reach: int) -> npt.NDArray[np.int64]:
        """Count the lags by whole frames from -reach to reach; those beyond are in the first and the last.

        Returns:
            Shape (2 reach + 1,).
        """
        places = np.clip(np.rint(self.lags), -reach, reach).astype(np.int64) + reach
        return np.bincount(places, minlength=2 * reach + 1).astype(np.int64)


def added(whole: Sync, without: Sync) -> float:
    """Give how many frames something adds to the lag: the mean over all hits that are answered with it and without.

    Args:
        whole: with it.
        without: with it left out, of the same hits.
    """
    both = ~np.isnan(whole.by_hit) & ~np.isnan(without.by_hit)
    return float(np.mean((whole.by_hit - without.by_hit)[both])) if both.any() else 0.0


def peaks(excursion: FloatArray) -> npt.NDArray[np.int64]:
    """Find the frames at which a motion is furthest from rest, shape (peaks,): of a level top the first frame.

    Args:
        excursion: how far from rest, 0 or more, shape (frames,).
    """
    around = np.concatenate([[-1.0], excursion, [-1.0]])
    up = np.flatnonzero((around[1:-1] > around[:-2]) & (around[1:-1] >= around[2:]))
    after = np.minimum.reduceat(excursion, up) if up.size else excursion[:0]  # the lowest between a peak and the next
    before = np.concatenate([excursion[: up[0] + 1].min(keepdims=True), after[:-1]]) if up.size else after
    return up[excursion[up] - before >= _RISES * max(float(excursion.max(initial=0.0)), 1e-12)]


def sync(excursion: FloatArray, hits: npt.NDArray[np.int64], *, fps: float) -> Sync:
    """Measure the lag from each hit to the nearest peak.

    Args:
        excursion: how far a value is from rest, 0 or more, shape (frames,).
        hits: frames of the hits, rising, shape (hits,).
        fps: frames in a second.
    """
    at = peaks(excursion)
    if not at.size or not hits.size:
        return Sync(np.full(hits.size, np.nan), int(at.size))
    after = np.clip(np.searchsorted(at, hits), 0, at.size - 1)
    before = np.maximum(after - 1, 0)
    late, early = at[after] - hits, at[before] - hits
    follows = np.abs(late) <= np.abs(early)
    lags = np.where(follows, late, early).astype(np.float64)
    near = np.abs(lags) <= REACH_S * fps
    answers = np.unique(np.where(follows, after, before)[near])
    return Sync(np.where(near, lags, np.nan), int(at.size - answers.size))

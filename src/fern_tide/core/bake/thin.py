"""Thinning: few keys whose straight lines stay near the dense curve, with the error measured afterwards."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import FloatArray

_FIRST_STRETCH = 32


@dataclass(frozen=True)
class Keys:
    """Linear keys.

    Attributes:
        frames: ascending, the first and last frame included.
        values: one per key, or three rows of them for a colour.
        error: the largest distance from the dense curve at any frame, measured, in the curve's unit.
    """

    frames: npt.NDArray[np.int64]
    values: FloatArray
    error: float


def thin(values: FloatArray, *, tolerance: float) -> Keys:
    """Keep the fewest keys found such that straight lines between them stay within a tolerance at every frame.

    From each key the farthest frame is taken that a straight line can reach: the line's slope must lie in the
    narrowing wedge that every frame on the way allows (J. Reumann & A. Witkam's strip made exact by interval slopes).

    Args:
        values: shape (frames,), or (channels, frames) for channels that share their keys.
        tolerance: at least 0, in the values' unit.

    Returns:
        Keys on frames of the dense curve, with its own values.
    """
    rows = np.atleast_2d(values)
    n = rows.shape[1]
    kept = [0] if n else []
    while kept and kept[-1] < n - 1:
        kept.append(_farthest(rows, kept[-1], tolerance))
    frames = np.asarray(kept, dtype=np.int64)
    if n == 0:
        return Keys(frames, values.copy(), 0.0)
    dense = np.stack([np.interp(np.arange(n), frames, row[frames]) for row in rows])
    return Keys(frames, values[..., frames].copy(), float(np.abs(dense - rows).max()))


def _farthest(rows: FloatArray, start: int, tolerance: float) -> int:
    """The last frame whose chord from start stays within the tolerance of every frame between."""
    n, stretch = rows.shape[1], _FIRST_STRETCH
    best = start + 1
    low = np.full((rows.shape[0], 1), -np.inf)
    high = np.full((rows.shape[0], 1), np.inf)
    at = start + 1
    while at < n:
        end = min(n, at + stretch)
        steps = np.arange(at, end) - start
        rise = rows[:, at:end] - rows[:, start : start + 1]
        lows = np.maximum.accumulate(np.concatenate([low, (rise - tolerance) / steps], axis=1), axis=1)
        highs = np.minimum.accumulate(np.concatenate([high, (rise + tolerance) / steps], axis=1), axis=1)
        slope = rise / steps
        fits = ((slope >= lows[:, :-1] - 1e-15) & (slope <= highs[:, :-1] + 1e-15)).all(axis=0)
        if fits.any():
            best = max(best, at + int(np.flatnonzero(fits)[-1]))
        if (lows[:, -1] > highs[:, -1]).any():  # no slope serves every frame so far: no later frame can be reached
            break
        low, high, at, stretch = lows[:, -1:], highs[:, -1:], end, stretch * 2
    return best

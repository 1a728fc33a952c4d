"""Thinning: few keys whose interpolation stays near the dense curve, with the error measured afterwards."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import FloatArray

_FIRST_STRETCH = 32
Ends = tuple[FloatArray, FloatArray]


class Interpolation(StrEnum):
    """What lies between two keys: a straight line, the first key's value, or a cubic with the curve's own slopes."""

    LINEAR = "linear"
    STEP = "step"
    CUBIC = "cubic"


@dataclass(frozen=True)
class Keys:
    """Keys.

    Attributes:
        frames: ascending, the first and last frame included.
        values: one per key, or rows of them for channels that share their keys.
        slopes: of the same shape, per frame: the tangents of cubic keys; zeros for others are never read.
        error: the largest distance from the dense curve at any frame, measured, in the curve's unit.
        interpolation: what lies between them.
    """

    frames: npt.NDArray[np.int64]
    values: FloatArray
    slopes: FloatArray
    error: float
    interpolation: Interpolation = Interpolation.LINEAR

    def dense(self, n_frames: int) -> FloatArray:
        """Give the value at every frame, as a program that reads the keys would; shape (..., frames)."""
        at = np.arange(n_frames)
        place = np.clip(np.searchsorted(self.frames, at, side="right") - 1, 0, max(0, len(self.frames) - 2))
        if self.interpolation is Interpolation.STEP or len(self.frames) < 2:
            held = np.clip(np.searchsorted(self.frames, at, side="right") - 1, 0, None)
            return np.asarray(self.values[..., held], dtype=np.float64)
        start, end = self.frames[place], self.frames[place + 1]
        share = (at - start) / (end - start)
        v0, v1 = self.values[..., place], self.values[..., place + 1]
        if self.interpolation is Interpolation.LINEAR:
            return np.asarray(v0 + (v1 - v0) * share, dtype=np.float64)
        span = end - start
        start_end = ((v0, self.slopes[..., place] * span), (v1, self.slopes[..., place + 1] * span))
        return hermite(*start_end, share=share)


def hermite(start: Ends, end: Ends, *, share: FloatArray) -> FloatArray:
    """Evaluate a cubic Hermite piece (glTF 2.0, appendix C.5).

    Args:
        start: the value at its start, and the slope there times the piece's length; any shape.
        end: the same at its end.
        share: where in the piece, from 0 to 1.
    """
    (v0, m0), (v1, m1) = start, end
    t2, t3 = share * share, share * share * share
    return np.asarray(
        (2 * t3 - 3 * t2 + 1) * v0 + (t3 - 2 * t2 + share) * m0 + (3 * t2 - 2 * t3) * v1 + (t3 - t2) * m1,
        dtype=np.float64,
    )


def every_frame(rows: FloatArray, *, interpolation: Interpolation) -> Keys:
    """Give a key at every frame of channels, shape (channels, frames): nothing is thinned, and nothing is off."""
    n = rows.shape[1]
    slopes = np.gradient(rows, axis=1) if n > 1 else np.zeros_like(rows)
    return Keys(np.arange(n, dtype=np.int64), rows, slopes, 0.0, interpolation)


def thin(
    values: FloatArray,
    *,
    tolerance: float | FloatArray,
    interpolation: Interpolation = Interpolation.LINEAR,
) -> Keys:
    """Keep the fewest keys found such that what lies between them stays within a tolerance at every frame.

    From each key the farthest frame is taken that can be reached. For straight lines the slope must lie in the
    narrowing wedge that every frame on the way allows (J. Reumann & A. Witkam's strip made exact by interval slopes);
    for steps the value must not leave the strip around the key's; cubics take the dense curve's central differences
    as slopes and the stretch is halved until it fits.

    Args:
        values: shape (frames,), or (channels, frames) for channels that share their keys.
        tolerance: at least 0, in the values' unit; or one per channel.
        interpolation: what lies between two keys.

    Returns:
        Keys on frames of the dense curve, with its own values.
    """
    rows = np.atleast_2d(values)
    n = rows.shape[1]
    wide = np.broadcast_to(np.asarray(tolerance, dtype=np.float64).reshape(-1, 1), (rows.shape[0], 1))
    slopes = np.gradient(rows, axis=1) if n > 1 else np.zeros_like(rows)
    reach: dict[Interpolation, Callable[[int], int]] = {
        Interpolation.LINEAR: lambda at: _farthest(rows, at, wide),
        Interpolation.STEP: lambda at: _farthest_step(rows, at, wide),
        Interpolation.CUBIC: lambda at: _farthest_cubic(rows, slopes, at, wide),
    }
    kept = [0] if n else []
    while kept and kept[-1] < n - 1:
        kept.append(reach[interpolation](kept[-1]))
    frames = np.asarray(kept, dtype=np.int64)
    shape = (*values.shape[:-1], len(kept))
    keys = Keys(frames, rows[:, frames].reshape(shape), slopes[:, frames].reshape(shape), 0.0, interpolation)
    if n == 0:
        return keys
    error = float(np.abs(np.atleast_2d(keys.dense(n)) - rows).max())
    return Keys(frames, keys.values, keys.slopes, error, interpolation)


def _farthest_step(rows: FloatArray, start: int, tolerance: FloatArray) -> int:
    """The first frame that is out of the strip around the key's value; the last frame where there is none."""
    at, stretch, n = start + 1, _FIRST_STRETCH, int(rows.shape[1])
    while at < n:
        end = min(n, at + stretch)
        out = (np.abs(rows[:, at:end] - rows[:, start : start + 1]) > tolerance).any(axis=0)
        if out.any():
            return at + int(np.argmax(out))
        at, stretch = end, stretch * 2
    return int(n - 1)


def _farthest_cubic(rows: FloatArray, slopes: FloatArray, start: int, tolerance: FloatArray) -> int:
    """Double the stretch while it fits, then halve the doubt."""
    n = int(rows.shape[1])

    def fits(end: int) -> bool:
        share = np.arange(1, end - start) / (end - start)
        ends = [v[:, i : i + 1] for i in (start, end) for v in (rows, slopes)]
        span = end - start
        between = hermite((ends[0], ends[1] * span), (ends[2], ends[3] * span), share=share)
        return bool((np.abs(between - rows[:, start + 1 : end]) <= tolerance).all())

    good, stretch = start + 1, 2
    while start + stretch < n and fits(start + stretch):
        good, stretch = start + stretch, stretch * 2
    bad = min(n, start + stretch)
    if bad == n and good < n - 1 and fits(n - 1):
        return int(n - 1)
    while bad - good > 1:
        middle = (good + bad) // 2
        good, bad = (middle, bad) if middle < n and fits(middle) else (good, middle)
    return good


def _farthest(rows: FloatArray, start: int, tolerance: FloatArray) -> int:
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

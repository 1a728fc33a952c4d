"""Thinning: few keys whose interpolation stays near the dense curve, with the error measured afterwards."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property
from math import inf
from typing import TypeAlias

import numpy as np
import numpy.typing as npt

from fern_tide.core.bake.slopes import monotone_slopes
from fern_tide.core.base.signal import FloatArray

_FIRST_STRETCH = 32
_SLACK = 1e-15  # of slopes, for what rounding leaves
_LEAST_DOT = 0.13  # of two quaternions: they are 165 degrees apart
Places: TypeAlias = npt.NDArray[np.int64] | FloatArray
"""Moments in frames: whole ones, or with some between them."""
Ends = tuple[FloatArray, FloatArray]
Strip = tuple[FloatArray, FloatArray, FloatArray]
"""Moments, and between which values a curve must stay at them, shape (channels, moments) each."""


class Interpolation(StrEnum):
    """What lies between two keys: a straight line, the first key's value, or a cubic that does not overshoot."""

    LINEAR = "linear"
    STEP = "step"
    CUBIC = "cubic"


@dataclass(frozen=True)
class Keys:
    """Keys.

    Attributes:
        frames: when, in frames, ascending, the first and last included; mostly whole.
        values: one per key, or rows of them for channels that share their keys.
        slopes: of the same shape, per frame: the tangents of cubic keys; zeros for others are never read.
        error: the largest distance from the dense curve at any frame, measured, in the curve's unit.
        interpolation: what lies between them.
    """

    frames: Places
    values: FloatArray
    slopes: FloatArray
    error: float
    interpolation: Interpolation = Interpolation.LINEAR

    @property
    def nbytes(self) -> int:
        """How many bytes they take."""
        return self.frames.nbytes + self.values.nbytes + self.slopes.nbytes

    def dense(self, n_frames: int) -> FloatArray:
        """Give the value at every frame, as a program that reads the keys would; shape (..., frames)."""
        return self.at(np.arange(n_frames, dtype=np.float64))

    def at(self, moments: FloatArray) -> FloatArray:
        """Give the values at moments counted in frames, shape (..., moments)."""
        before = np.clip(np.searchsorted(self.frames, moments, side="right") - 1, 0, None)
        if self.interpolation is Interpolation.STEP or len(self.frames) < 2:
            return np.asarray(self.values[..., before], dtype=np.float64)
        place = np.minimum(before, len(self.frames) - 2)
        start, end = self.frames[place], self.frames[place + 1]
        share = np.clip((moments - start) / (end - start), 0.0, 1.0)
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


def every_frame(rows: FloatArray, *, interpolation: Interpolation, places: Places | None = None) -> Keys:
    """Give a key at every place of channels, shape (channels, places): nothing is thinned, and nothing is off."""
    at = np.arange(rows.shape[1], dtype=np.int64) if places is None else places
    return Keys(at, rows, monotone_slopes(rows, at.astype(np.float64)), 0.0, interpolation)


def thin(
    values: FloatArray,
    *,
    tolerance: float | FloatArray,
    interpolation: Interpolation = Interpolation.LINEAR,
    places: Places | None = None,
    turning: bool = False,
) -> Keys:
    """Keep the fewest keys found such that what lies between them stays within a tolerance at every place.

    From each key the farthest place is taken that can be reached. For straight lines the slope must lie in the
    narrowing wedge that every place on the way allows (J. Reumann & A. Witkam's strip made exact by interval slopes);
    for steps the value must not leave the strip around the key's; cubics take the dense curve's monotone slopes, and
    the stretch is halved until it fits, half way between the places too.

    Args:
        values: shape (places,), or (channels, places) for channels that share their keys.
        tolerance: at least 0, in the values' unit; or one per channel.
        interpolation: what lies between two keys.
        places: where the values lie, in frames, ascending; None is a value a frame.
        turning: the channels are the four numbers of a quaternion, continuous in sign: no two neighbouring keys are
            half a turn or more apart, since players go the shorter way.

    Returns:
        Keys at places of the dense curve, with its own values.
    """
    rows = np.atleast_2d(values)
    n = rows.shape[1]
    at = np.arange(n, dtype=np.int64) if places is None else places
    dense = _Dense(rows, at.astype(np.float64), _column(tolerance, len(rows)))
    slopes = monotone_slopes(rows, dense.places)
    reach: dict[Interpolation, Callable[[int], int]] = {
        Interpolation.LINEAR: lambda start: _farthest(dense, start),
        Interpolation.STEP: lambda start: _farthest_step(dense, start),
        Interpolation.CUBIC: lambda start: _farthest_cubic(dense, slopes, start),
    }
    key_frames = [0] if n else []
    while key_frames and key_frames[-1] < n - 1:
        following = reach[interpolation](key_frames[-1])
        key_frames.append(_within_half_a_turn(rows, key_frames[-1], following) if turning else following)
    chosen = np.asarray(key_frames, dtype=np.int64)
    shape = (*values.shape[:-1], len(key_frames))
    frames = at[chosen] if n else at
    keys = Keys(frames, rows[:, chosen].reshape(shape), slopes[:, chosen].reshape(shape), 0.0, interpolation)
    if n == 0:
        return keys
    error = float(np.abs(np.atleast_2d(keys.at(dense.places)) - rows).max())
    return Keys(frames, keys.values, keys.slopes, error, interpolation)


@dataclass(frozen=True)
class _Dense:
    """A curve to be thinned: its channels, where its values lie, and how far off each channel may be."""

    rows: FloatArray
    places: FloatArray
    tolerance: FloatArray

    @cached_property
    def moving(self) -> list[tuple[int, list[float]]]:
        """The channels that are not the same throughout, number by number: the others stand in no chord's way."""
        return [(place, row.tolist()) for place, row in enumerate(self.rows) if np.ptp(row)]

    @cached_property
    def strip(self) -> Strip:
        """What a curve must stay within at the places."""
        return self.places, self.rows - self.tolerance, self.rows + self.tolerance

    @cached_property
    def strip_between(self) -> Strip:
        """What it must stay within half way between them: what lies beside."""
        lows, highs = (pick(self.rows[:, 1:], self.rows[:, :-1]) for pick in (np.minimum, np.maximum))
        middles = (self.places[1:] + self.places[:-1]) / 2
        return middles, lows - self.tolerance, highs + self.tolerance

    @cached_property
    def moments(self) -> list[float]:
        """The places, number by number."""
        return [float(place) for place in self.places]

    @cached_property
    def tolerances(self) -> list[float]:
        """How far off each channel may be."""
        return [float(off) for off in self.tolerance[:, 0]]


def _column(tolerance: float | FloatArray, channels: int) -> FloatArray:
    return np.broadcast_to(np.asarray(tolerance, dtype=np.float64).reshape(-1, 1), (channels, 1))


def _within_half_a_turn(rows: FloatArray, start: int, end: int) -> int:
    """Give the last place up to `end` such that no orientation on the way is nearly half a turn from the start's."""
    far = rows[:, start] @ rows[:, start + 1 : end + 1] < _LEAST_DOT
    return start + max(1, int(np.argmax(far))) if far.any() else end


def _farthest_step(dense: _Dense, start: int) -> int:
    """The first place that is out of the strip around the key's value; the last one where there is none."""
    rows, tolerances = dense.rows, dense.tolerances
    n = int(rows.shape[1])
    first = min(n, start + 1 + _FIRST_STRETCH)
    for at in range(start + 1, first):  # number by number, which is fastest where keys lie close
        if any(abs(row[at] - row[start]) > tolerances[channel] for channel, row in dense.moving):
            return at
    at, stretch = first, 2 * _FIRST_STRETCH
    while at < n:
        end = min(n, at + stretch)
        out = (np.abs(rows[:, at:end] - rows[:, start : start + 1]) > dense.tolerance).any(axis=0)
        if out.any():
            return at + int(np.argmax(out))
        at, stretch = end, stretch * 2
    return int(n - 1)


def _farthest_cubic(dense: _Dense, slopes: FloatArray, start: int) -> int:
    """Double the stretch while it fits, then halve the doubt."""
    rows, places = dense.rows, dense.places
    n = int(rows.shape[1])

    def fits(end: int) -> bool:
        span = places[end] - places[start]
        ends = [v[:, i : i + 1] for i in (start, end) for v in (rows, slopes)]

        def lies(strip: Strip, some: slice) -> bool:
            moments, lows, highs = strip
            share = (moments[some] - places[start]) / span
            curve = hermite((ends[0], ends[1] * span), (ends[2], ends[3] * span), share=share)
            return bool(((curve >= lows[:, some]) & (curve <= highs[:, some])).all())

        return lies(dense.strip, slice(start + 1, end)) and lies(dense.strip_between, slice(start, end))

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


def _near(dense: _Dense, start: int) -> tuple[int, list[float] | None, list[float]]:
    """Look at the first places after one, number by number, which is fastest where keys lie close.

    Returns:
        The last place that can be reached so far, and the wedge of slopes that is left, by channel: the lowest (None
        where no later place can be reached) and the highest.
    """
    end = min(dense.rows.shape[1], start + 1 + _FIRST_STRETCH)
    moments, tolerances = dense.moments, dense.tolerances
    lows, highs = [-inf] * len(dense.rows), [inf] * len(dense.rows)
    best = start + 1
    for at in range(start + 1, end):
        step = moments[at] - moments[start]
        reached, shut = True, False
        for channel, row in dense.moving:
            rise, off = row[at] - row[start], tolerances[channel]
            slope, low, high = rise / step, lows[channel], highs[channel]
            if not low - _SLACK <= slope <= high + _SLACK:
                reached = False
            lowest, highest = (rise - off) / step, (rise + off) / step
            if lowest > low:
                lows[channel] = low = lowest
            if highest < high:
                highs[channel] = high = highest
            if low - high > 2 * _SLACK:
                shut = True
        if reached:
            best = at
        if shut:
            return best, None, highs
    shut = any(low > high for low, high in zip(lows, highs, strict=True))
    return best, None if shut else lows, highs


def _farthest(dense: _Dense, start: int) -> int:
    """The last place whose chord from start stays within the tolerance of every place between."""
    rows, tolerance = dense.rows, dense.tolerance
    n, stretch = rows.shape[1], _FIRST_STRETCH
    best, lows_of, highs_of = _near(dense, start)
    at = start + 1 + stretch
    if lows_of is None or at >= n:
        return best
    low, high, stretch = np.array(lows_of)[:, np.newaxis], np.array(highs_of)[:, np.newaxis], stretch * 2
    while at < n:
        end = min(n, at + stretch)
        steps = dense.places[at:end] - dense.places[start]
        rise = rows[:, at:end] - rows[:, start : start + 1]
        lows = np.maximum.accumulate(np.concatenate([low, (rise - tolerance) / steps], axis=1), axis=1)
        highs = np.minimum.accumulate(np.concatenate([high, (rise + tolerance) / steps], axis=1), axis=1)
        slope = rise / steps
        fits = ((slope >= lows[:, :-1] - _SLACK) & (slope <= highs[:, :-1] + _SLACK)).all(axis=0)
        if fits.any():
            best = max(best, at + int(np.flatnonzero(fits)[-1]))
        if (lows[:, -1] > highs[:, -1]).any():  # no slope serves every place so far: no later one can be reached
            break
        low, high, at, stretch = lows[:, -1:], highs[:, -1:], end, stretch * 2
    return best

"""Numbers of Lottie that stand or move (Lottie Animation Format 1.0, 'Properties'), written and read.

Frame k of a project is at time k; what lies between two keys is a cubic Bezier in time and value. A straight line has
its handles at its ends; a cubic Hermite piece has them at a third and two thirds of the time, so that time runs evenly.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from fern_tide.core.bake.thin import Interpolation, Keys
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.formats.format import KeyParams

LINE: dict[str, Any] = {"o": {"x": [0], "y": [0]}, "i": {"x": [1], "y": [1]}}
_STRAIGHT = (0.0, 0.0, 1.0, 1.0)
_STEPS = 40  # of Newton's and bisection's search for a moment on a Bezier


def shortened(value: float) -> float:
    """Give a number with nine significant digits."""
    return float(f"{value:.9g}")


def moving(rows: FloatArray, params: KeyParams, *, one: bool = False) -> dict[str, Any]:
    """Write numbers over time.

    Args:
        rows: shape (numbers, frames), as Lottie counts them.
        params: how they become keys.
        one: whether a single number stands without a list where it does not move.
    """
    if rows.shape[1] == 0 or (rows == rows[:, :1]).all():
        still = [shortened(value) for value in rows[:, 0].tolist()] if rows.shape[1] else [0.0] * len(rows)
        return {"a": 0, "k": still[0] if one else still}
    keys = params.keys(rows)
    return {"a": 1, "k": _keyframes(keys)}


def _keyframes(keys: Keys) -> list[dict[str, Any]]:
    frames, values = keys.frames.tolist(), [[shortened(value) for value in at] for at in keys.values.T.tolist()]
    out: list[dict[str, Any]] = []
    for at, (frame, value) in enumerate(zip(frames, values, strict=True)):
        key: dict[str, Any] = {"t": frame, "s": value}
        if at < len(frames) - 1:
            if keys.interpolation is Interpolation.STEP:
                key["h"] = 1
            else:
                key |= _easing(keys, at) if keys.interpolation is Interpolation.CUBIC else LINE
        out.append(key)
    return out


def _easing(keys: Keys, at: int) -> dict[str, Any]:
    """Give a cubic piece's handles, as shares of its way: in time one for all numbers, in value each its own."""
    span = float(keys.frames[at + 1] - keys.frames[at])
    ways = keys.values[:, at + 1] - keys.values[:, at]
    safe = np.where(ways == 0, 1.0, ways)
    out = np.where(ways == 0, 0.0, keys.slopes[:, at] * span / 3 / safe)
    into = np.where(ways == 0, 1.0, 1 - keys.slopes[:, at + 1] * span / 3 / safe)
    third = 1 / 3
    return {
        "o": {"x": [third], "y": [shortened(value) for value in out.tolist()]},
        "i": {"x": [1 - third], "y": [shortened(value) for value in into.tolist()]},
    }


def read_moving(value: dict[str, Any], n_frames: int) -> FloatArray:
    """Read numbers over time as a player finds them at every frame, shape (numbers, frames)."""
    if not value.get("a"):
        still = np.atleast_1d(np.array(value["k"], dtype=np.float64))
        return np.repeat(still[:, np.newaxis], n_frames, axis=1)
    keys = value["k"]
    times = np.array([key["t"] for key in keys], dtype=np.float64)
    values = np.array([key["s"] for key in keys], dtype=np.float64).T
    if len(keys) == 1:
        return np.repeat(values, n_frames, axis=1)
    frames = np.arange(n_frames, dtype=np.float64)
    before = np.clip(np.searchsorted(times, frames, side="right") - 1, 0, len(keys) - 2)
    share = np.clip((frames - times[before]) / np.diff(times)[before], 0.0, 1.0)
    holds = np.array([bool(key.get("h")) for key in keys])[before]
    eased = np.where(holds, np.floor(share), _eased(_handles(keys)[:, before], np.atleast_2d(share)))
    out: FloatArray = values[:, before] + np.diff(values)[:, before] * eased
    return out


def _eased(handles: FloatArray, share: FloatArray) -> FloatArray:
    """Give how far each moment has come on the way of its piece, from 0 to 1, shape (numbers, moments).

    Args:
        handles: those of the piece in which each moment lies, shape (numbers, moments, 4).
        share: how much of the time of its piece has gone, shape (1, moments).
    """
    curved = (handles != _STRAIGHT).any(axis=2)
    share = np.broadcast_to(share, curved.shape)
    x1, y1, x2, y2 = handles[curved].T
    low, high = np.zeros_like(x1), np.ones_like(x1)
    for _ in range(_STEPS):  # the moment at which the curve has come so far in time
        middle = (low + high) / 2
        beyond = _bezier(x1, x2, middle) > share[curved]
        low, high = np.where(beyond, low, middle), np.where(beyond, middle, high)
    out = share.copy()
    out[curved] = _bezier(y1, y2, (low + high) / 2)
    return out


def _handles(keys: list[dict[str, Any]]) -> FloatArray:
    """Give x and y of the two handles of every piece, shape (numbers, pieces, 4), or 1 where all share them."""
    pieces = [(key["o"], key["i"]) if "o" in key else (LINE["o"], LINE["i"]) for key in keys[:-1]]
    listed = [[_listed(end[axis]) for end in both for axis in "xy"] for both in pieces]
    n = max(len(each) for piece in listed for each in piece)
    return np.array([[[each[min(row, len(each) - 1)] for each in piece] for piece in listed] for row in range(n)])


def _listed(value: Any) -> list[float]:
    return [float(each) for each in value] if isinstance(value, list) else [float(value)]


def _bezier(one: FloatArray, two: FloatArray, t: FloatArray) -> FloatArray:
    return np.asarray(3 * one * t * (1 - t) ** 2 + 3 * two * t * t * (1 - t) + t**3)

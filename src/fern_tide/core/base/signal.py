"""The one array type of the core: float64, time on the last axis."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from typing import Any, TypeAlias

import numpy as np
import numpy.typing as npt

FloatArray: TypeAlias = npt.NDArray[np.float64]
Float32Array: TypeAlias = npt.NDArray[np.float32]

_CANONICAL = json.JSONEncoder(sort_keys=True, separators=(",", ":"), ensure_ascii=True, allow_nan=False)


def frozen(values: FloatArray) -> FloatArray:
    """Give the array, no longer writable, so that it can be shared."""
    values.setflags(write=False)
    return values


def spans(x: Float32Array, *, length: int, first: int = 0, step: int = 1, count: int | None = None) -> Float32Array:
    """View overlapping stretches of a sound, shape (signals, count, length); nothing is copied, nothing can be written.

    Args:
        x: shape (signals, samples).
        length: of a stretch, in samples.
        first: where the first begins.
        step: from the beginning of one to that of the next.
        count: how many; None is all that fit.

    Raises:
        ValueError: a stretch would reach outside x.
    """
    if count is None:
        count = max(0, (x.shape[1] - length - first) // step + 1)
    if first < 0 or first + (count - 1) * step + length > x.shape[1]:
        raise ValueError("a stretch would reach outside the sound")
    rows, size = np.ascontiguousarray(x), x.itemsize
    view: Float32Array = np.ndarray(
        (len(x), count, length), rows.dtype, rows, first * size, (rows.strides[0], step * size, size)
    )
    view.setflags(write=False)
    return view


def at_or_before(times: FloatArray) -> Float32Array:
    """Give times, 0 or more, in single precision, and never later: the nearest below by a billionth, but not below 0.

    A player that counts in double or single precision has then reached a moment when it says so.
    """
    wanted = np.maximum(times * (1.0 - 1e-9), 0.0)
    single = wanted.astype(np.float32)
    return np.where(single > wanted, np.nextafter(single, np.float32(0.0)), single)


def extended(values: FloatArray, *, before: int = 0, after: int = 0) -> FloatArray:
    """Give values of shape (..., frames), at least one: the first goes on so long before them, the last after."""
    n = values.shape[-1]
    out: FloatArray = np.empty((*values.shape[:-1], before + n + after), values.dtype)
    out[..., :before], out[..., before : before + n], out[..., before + n :] = values[..., :1], values, values[..., -1:]
    return out


def moved(values: FloatArray, *, frames: float) -> FloatArray:
    """Give values of shape (..., frames) so many frames later; between frames they are interpolated linearly.

    The first or last value goes on where nothing comes in. A minus sign is earlier.
    """
    n = values.shape[-1]
    if n == 0:
        return values.copy()
    whole = int(np.floor(frames))
    share = frames - whole
    reach = min(n, abs(whole) + 1)
    padded = extended(values, before=reach, after=reach)
    start = reach - max(-n, min(n, whole))
    now = padded[..., start : start + n]
    if share == 0.0:
        return np.array(now)
    earlier = padded[..., max(0, start - 1) : max(0, start - 1) + n]
    out: FloatArray = now * (1.0 - share) + earlier * share
    return out


def canonical(plain: Any) -> str:
    """Give plain data as canonical JSON, ASCII: equal data, equal text.

    Raises:
        ValueError: a number is not finite.
    """
    return _CANONICAL.encode(plain)


def fingerprint(inputs: Mapping[str, Any]) -> str:
    """Give the SHA-256 of the inputs as canonical JSON: equal inputs, equal fingerprint, on every machine."""
    return hashlib.sha256(canonical(inputs).encode()).hexdigest()

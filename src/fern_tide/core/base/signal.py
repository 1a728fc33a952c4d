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


def frozen(values: FloatArray) -> FloatArray:
    """Give the array, no longer writable, so that it can be shared."""
    values.setflags(write=False)
    return values


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
    padded = np.pad(values, [(0, 0)] * (values.ndim - 1) + [(reach, reach)], mode="edge")
    start = reach - max(-n, min(n, whole))
    now = padded[..., start : start + n]
    if share == 0.0:
        return np.array(now)
    earlier = padded[..., max(0, start - 1) : max(0, start - 1) + n]
    out: FloatArray = now * (1.0 - share) + earlier * share
    return out


def fingerprint(inputs: Mapping[str, Any]) -> str:
    """Give the SHA-256 of the inputs as canonical JSON: equal inputs, equal fingerprint, on every machine."""
    text = json.dumps(inputs, sort_keys=True, separators=(",", ":"), ensure_ascii=True, allow_nan=False)
    return hashlib.sha256(text.encode()).hexdigest()

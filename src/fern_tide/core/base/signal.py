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
    at = np.clip(np.arange(n) - frames, 0.0, n - 1.0)
    before = np.floor(at).astype(np.int64)
    share = at - before
    out: FloatArray = values[..., before] * (1.0 - share) + values[..., np.minimum(before + 1, n - 1)] * share
    return out


def fingerprint(inputs: Mapping[str, Any]) -> str:
    """Give the SHA-256 of the inputs as canonical JSON: equal inputs, equal fingerprint, on every machine."""
    text = json.dumps(inputs, sort_keys=True, separators=(",", ":"), ensure_ascii=True, allow_nan=False)
    return hashlib.sha256(text.encode()).hexdigest()

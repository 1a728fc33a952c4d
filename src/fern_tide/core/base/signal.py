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


def fingerprint(inputs: Mapping[str, Any]) -> str:
    """Give the SHA-256 of the inputs as canonical JSON: equal inputs, equal fingerprint, on every machine."""
    text = json.dumps(inputs, sort_keys=True, separators=(",", ":"), ensure_ascii=True, allow_nan=False)
    return hashlib.sha256(text.encode()).hexdigest()

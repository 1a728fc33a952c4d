"""Where a lift sets in: the hits of a mapping's own marks."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import FloatArray


def rises(lift: FloatArray) -> npt.NDArray[np.bool_]:
    """Say at which frames lift leaves rest: it is above 0 and was not a frame before; shape (..., frames)."""
    up = lift > 0
    before = np.concatenate([np.zeros_like(up[..., :1]), up[..., :-1]], axis=-1)
    return np.asarray(up & ~before)

"""The moments that a step goes by: hits of the mapping's own marks, hits of the track, or the project's markers."""

from __future__ import annotations

from enum import StrEnum
from typing import Any

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.step import StepContext


class HitSource(StrEnum):
    """What counts as a hit: a rise over the mapping's low water, one that was found in its track, or a marker."""

    MARKS = "marks"
    TRACK = "track"
    MARKERS = "markers"


def rises(lift: FloatArray) -> npt.NDArray[np.bool_]:
    """Say at which frames lift leaves rest: it is above 0 and was not a frame before; shape (..., frames)."""
    up = lift > 0
    before = np.concatenate([np.zeros_like(up[..., :1]), up[..., :-1]], axis=-1)
    return np.asarray(up & ~before)


def hits_of(lift: FloatArray, source: HitSource, *, context: StepContext) -> npt.NDArray[np.bool_]:
    """Say at which frames there is a hit, shape (..., frames)."""
    if source is HitSource.MARKS:
        return rises(lift)
    at = np.zeros(lift.shape[-1], dtype=np.bool_)
    frames = context.hit_frames if source is HitSource.TRACK else context.marker_frames
    at[frames[(frames >= 0) & (frames < lift.shape[-1])]] = True
    return np.broadcast_to(at, lift.shape)


def needs_hits(params: Any) -> bool:
    """Say whether a step with such params asks for the track's hits."""
    return bool(params.hits is HitSource.TRACK)


def needs_markers(params: Any) -> bool:
    """Say whether a step with such params asks for the project's markers."""
    return bool(params.hits is HitSource.MARKERS)

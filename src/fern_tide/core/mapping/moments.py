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
    return _rises(lift > 0, before=None)


def _rises(up: npt.NDArray[np.bool_], *, before: npt.NDArray[np.bool_] | None) -> npt.NDArray[np.bool_]:
    first = np.zeros_like(up[..., :1]) if before is None else before
    return np.asarray(up & ~np.concatenate([first, up[..., :-1]], axis=-1))


def hits_of(lift: FloatArray, source: HitSource, *, context: StepContext) -> npt.NDArray[np.bool_]:
    """Say at which frames there is a hit, shape (..., frames)."""
    return HitsAsTheyCome(source)(lift, context=context)


class HitsAsTheyCome:
    """Says at which frames there is a hit while the lift comes: whether it was up stays known."""

    def __init__(self, source: HitSource) -> None:
        self._source = source
        self._was_up: npt.NDArray[np.bool_] | None = None

    def __call__(self, lift: FloatArray, *, context: StepContext) -> npt.NDArray[np.bool_]:
        """Take the next frames, shape (..., frames)."""
        if self._source is HitSource.MARKS:
            up = lift > 0
            hits = _rises(up, before=self._was_up)
            self._was_up = up[..., -1:] if up.shape[-1] else self._was_up
            return hits
        at = np.zeros(lift.shape[-1], dtype=np.bool_)
        frames = context.hit_frames if self._source is HitSource.TRACK else context.marker_frames
        at[frames[(frames >= 0) & (frames < lift.shape[-1])]] = True
        return np.broadcast_to(at, lift.shape)


def needs_hits(params: Any) -> bool:
    """Say whether a step with such params asks for the track's hits."""
    return bool(params.hits is HitSource.TRACK)


def needs_markers(params: Any) -> bool:
    """Say whether a step with such params asks for the project's markers."""
    return bool(params.hits is HitSource.MARKERS)

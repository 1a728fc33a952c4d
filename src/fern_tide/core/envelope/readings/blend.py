"""Blend: several envelopes as one."""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum
from typing import Annotated

import numpy as np

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.reading import Reading, Source, frame_by_frame


class How(StrEnum):
    """What becomes of the levels of a frame."""

    SUM = "sum"
    MEAN = "mean"
    MAX = "max"
    MIN = "min"
    DIFFERENCE = "difference"
    PRODUCT = "product"


class BlendParams(Params):
    """Which envelopes, and how they come together."""

    first: Annotated[str, unit("", "An envelope.", kind="envelope")] = ""
    second: Annotated[str, unit("", "Another.", kind="envelope")] = ""
    third: Annotated[str, unit("", "One more, or none.", kind="envelope")] = ""
    how: Annotated[How, unit("", "Difference is the first without the others, never below 0.")] = How.MAX


_REDUCED: dict[How, Callable[[FloatArray], FloatArray]] = {
    How.SUM: lambda stack: stack.sum(axis=0),
    How.MEAN: lambda stack: stack.mean(axis=0),
    How.MAX: lambda stack: stack.max(axis=0),
    How.MIN: lambda stack: stack.min(axis=0),
    How.PRODUCT: lambda stack: stack.prod(axis=0),
}


def uses(params: BlendParams) -> tuple[str, ...]:
    """List the envelopes that are blended."""
    return tuple(name for name in (params.first, params.second, params.third) if name)


def read(params: BlendParams, source: Source) -> FloatArray:
    """Give the blended level, shape (frames,); of a bank its loudest row counts. With no envelope it is silent."""
    levels = [source.level(name) for name in uses(params)]
    if not levels:
        return np.zeros(source.n_frames)
    stack = np.stack([level if level.ndim == 1 else level.max(axis=0) for level in levels])
    if params.how is How.DIFFERENCE:
        return np.asarray(np.maximum(stack[0] - stack[1:].sum(axis=0), 0.0))
    return np.asarray(_REDUCED[params.how](stack), dtype=np.float64)


READING = Reading(
    id="blend",
    label="Blend",
    help="Several envelopes as one: their sum, mean, max, min, difference or product.",
    params=BlendParams,
    read=read,
    live=frame_by_frame(read, needs=lambda params, info: ()),
    of_track=False,
    uses=uses,
)

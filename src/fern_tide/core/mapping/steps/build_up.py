"""Build-up: sound becomes a substitute for time: the louder, the faster it goes on."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.moments import HitSource, hits_of, needs_hits, needs_markers
from fern_tide.core.mapping.step import Step, StepContext


class BuildUpParams(Params):
    """How fast it goes on."""

    per_second: Annotated[float, Field(ge=-1000, le=1000), unit("/s", "How far it goes in a second at full.")] = 1.0
    idle: Annotated[float, Field(ge=-1000, le=1000), unit("/s", "How far it goes in a second at rest.")] = 0.0
    starts_over: Annotated[bool, unit("", "Whether it starts over at every hit or marker.")] = False
    hits: Annotated[HitSource, unit("", "Rises over low water, the track's hits, or markers.")] = HitSource.MARKS


def build_up(lift: FloatArray, *, params: BuildUpParams, context: StepContext) -> FloatArray:
    """Add lift up over time (the trapezoidal rule, so that frames of any length add up to the same).

    Args:
        lift: shape (..., frames).
        params: see BuildUpParams.
        context: its rate says how long a frame is.

    Returns:
        The same shape, 0 at the first frame; it has no upper end: fold or wrap it.
    """
    speed = params.idle + lift * (params.per_second - params.idle)
    steps = (speed[..., 1:] + speed[..., :-1]) / (2 * float(context.rate.fps))
    total = np.concatenate([np.zeros_like(lift[..., :1]), np.cumsum(steps, axis=-1)], axis=-1)
    if not params.starts_over:
        return total
    began = np.maximum.accumulate(
        np.where(hits_of(lift, params.hits, context=context), np.arange(lift.shape[-1]), 0), axis=-1
    )
    return np.asarray(total - np.take_along_axis(total, began, axis=-1))


STEP = Step(
    id="build_up",
    label="Build-up",
    help="Goes on faster the louder it is; what it drives moves on with the sound.",
    params=BuildUpParams,
    apply=build_up,
    needs_hits=needs_hits,
    needs_markers=needs_markers,
)

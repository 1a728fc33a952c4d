"""Build-up: sound becomes a substitute for time: the louder, the faster it goes on."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.live import Live
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.moments import HitsAsTheyCome, HitSource, needs_hits, needs_markers
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
    return BuildUp(params, context)(lift, context=context)


class BuildUp:
    """Adds lift up on from one stretch to the next."""

    def __init__(self, params: BuildUpParams, context: StepContext) -> None:
        self._params, self._fps = params, context.rate.per_second
        self._hits = HitsAsTheyCome(params.hits)
        self._speed: FloatArray | None = None
        self._total: FloatArray | None = None
        self._began: FloatArray | None = None

    def __call__(self, lift: FloatArray, *, context: StepContext) -> FloatArray:
        """Take the next frames."""
        params = self._params
        speed = params.idle + lift * (params.per_second - params.idle)
        first = speed[..., :1] if self._speed is None else self._speed
        steps = (speed + np.concatenate([first, speed[..., :-1]], axis=-1)) / (2 * self._fps)
        if self._total is None:
            steps[..., :1] = 0.0
        else:
            steps[..., :1] += self._total  # so that it is added up in the same order, whatever the stretches
        total = np.cumsum(steps, axis=-1)
        self._speed, self._total = speed[..., -1:], total[..., -1:]
        return total if not params.starts_over else total - self._starts(total, lift, context)

    def _starts(self, total: FloatArray, lift: FloatArray, context: StepContext) -> FloatArray:
        """Give the total at the last start of every frame."""
        hits = self._hits(lift, context=context)
        before = total[..., :1] if self._began is None else self._began
        at = np.maximum.accumulate(np.where(hits, np.arange(lift.shape[-1]), -1), axis=-1)
        starts = np.where(at < 0, before, np.take_along_axis(total, np.maximum(at, 0), axis=-1))
        self._began = starts[..., -1:]
        return np.asarray(starts)


STEP = Step(
    id="build_up",
    label="Build-up",
    help="Goes on faster the louder it is; what it drives moves on with the sound.",
    params=BuildUpParams,
    apply=build_up,
    live=Live(BuildUp),
    needs_hits=needs_hits,
    needs_markers=needs_markers,
)

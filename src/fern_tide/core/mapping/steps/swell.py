"""Swell: climbs while the sound lasts and sinks after it."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.live import Live
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.step import Step, StepContext


class SwellParams(Params):
    """How long it takes each way."""

    climb_s: Annotated[
        float, Field(gt=0, le=600), unit("s", "From rest to full while lift is above half.", step=0.1)
    ] = 1.0
    sink_s: Annotated[float, Field(gt=0, le=600), unit("s", "From full to rest while it is below.", step=0.1)] = 3.0


def swell(lift: FloatArray, *, params: SwellParams, context: StepContext) -> FloatArray:
    """Climb evenly while lift is at or above half, and sink evenly while it is below.

    Args:
        lift: shape (..., frames).
        params: see SwellParams.
        context: its rate says how long a frame is.

    Returns:
        The same shape, from 0 to 1; it begins at 0.
    """
    return Swell(params, context)(lift, context=context)


class Swell:
    """Climbs and sinks on from one stretch to the next."""

    def __init__(self, params: SwellParams, context: StepContext) -> None:
        fps = context.rate.per_second
        self._up, self._down = 1.0 / (params.climb_s * fps), -1.0 / (params.sink_s * fps)
        self._at: list[float] = []

    def __call__(self, lift: FloatArray, *, context: StepContext) -> FloatArray:
        """Take the next frames."""
        steps = np.where(lift >= 0.5, self._up, self._down).reshape(-1, lift.shape[-1])
        begins = self._at or (-steps[:, 0]).tolist()  # so that the first frame is at rest
        rows = [_run(row.tolist(), at) for row, at in zip(steps, begins, strict=True)]
        self._at = [row[-1] for row in rows]
        return np.array(rows).reshape(lift.shape)


def _run(steps: list[float], at: float) -> list[float]:
    return [at := min(1.0, max(0.0, at + step)) for step in steps]


STEP = Step(
    id="swell",
    label="Swell",
    help="Climbs while the sound lasts, and sinks after it.",
    params=SwellParams,
    apply=swell,
    live=Live(Swell),
)

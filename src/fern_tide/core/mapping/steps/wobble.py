"""Wobble: smooth chance, as much of it as there is sound."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.step import Step, StepContext


class WobbleParams(Params):
    """How fast and how much."""

    speed_hz: Annotated[
        float, Field(gt=0, le=60), unit("Hz", "How often it changes its mind in a second.", step=0.5)
    ] = 4.0
    share: Annotated[float, Field(ge=0, le=1), unit("", "How much of lift trembles; 1 is all of it.", step=0.05)] = 0.5


def wobble(lift: FloatArray, *, params: WobbleParams, context: StepContext) -> FloatArray:
    """Mix lift with itself times smooth noise from -1 to 1, drawn from the mapping's seed.

    Args:
        lift: shape (..., frames).
        params: see WobbleParams.
        context: its rate says when a frame is, its seed which noise it is.

    Returns:
        The same shape; 0 where lift is 0. The noise runs through random points, evenly in time, as cubics with level
        ends (value noise), so that any frame rate sees the same noise.
    """
    at = np.arange(lift.shape[-1]) / float(context.rate.fps) * params.speed_hz
    before = np.floor(at).astype(np.int64)
    points = np.random.default_rng(context.seed).uniform(-1.0, 1.0, int(before[-1]) + 2)
    share = at - before
    eased = share * share * (3.0 - 2.0 * share)
    noise = points[before] + (points[before + 1] - points[before]) * eased
    return np.asarray(lift * (1.0 - params.share + params.share * noise))


STEP = Step(
    id="wobble",
    label="Wobble",
    help="Trembles smoothly, the more the louder it is.",
    params=WobbleParams,
    apply=wobble,
    draws=True,
)

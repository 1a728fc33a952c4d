"""Ripple: lift comes back several times, weaker each time."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.step import Step, StepContext


class RippleParams(Params):
    """How often it comes back, how soon, and how much is left each time."""

    times: Annotated[int, Field(ge=1, le=12), unit("", "How often it comes back.")] = 3
    gap_ms: Annotated[float, Field(gt=0, le=5_000), unit("ms", "How long after each other.", step=10)] = 200.0
    left: Annotated[float, Field(ge=0, le=1), unit("", "How much of it is left each time.")] = 0.5


def ripple(lift: FloatArray, *, params: RippleParams, context: StepContext) -> FloatArray:
    """Give the highest of lift and its weaker, later copies; shape (..., frames)."""
    gap = max(1, round(params.gap_ms / 1000.0 * float(context.rate.fps)))
    out = lift.copy()
    for turn in range(1, params.times + 1):
        late = turn * gap
        if late < lift.shape[-1]:
            out[..., late:] = np.maximum(out[..., late:], lift[..., :-late] * params.left**turn)
    return out


STEP = Step(
    id="ripple",
    label="Ripple",
    help="Comes back several times, weaker each time.",
    params=RippleParams,
    apply=ripple,
)

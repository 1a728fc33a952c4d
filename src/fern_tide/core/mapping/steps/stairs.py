"""Stairs: lift moves in even levels, for motion that clicks from place to place."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.step import Step, StepContext


class StairsParams(Params):
    """How many levels, and how far a level must be passed before lift moves on."""

    levels: Annotated[int, Field(ge=2, le=64), unit("levels", "How many places there are, rest and full included.")] = 4
    stickiness: Annotated[
        float, Field(ge=0, lt=1), unit("of a level", "How firmly it stays before it moves on.", step=0.05)
    ] = 0.2


def stairs(lift: FloatArray, *, params: StairsParams, context: StepContext) -> FloatArray:
    """Round lift to even levels, staying on a level until the next is clearly reached.

    Args:
        lift: shape (..., frames), 0 to 1.
        params: see StairsParams.
        context: not used; every step has it.

    Returns:
        An array of the same shape; every value is k / (levels - 1).
    """
    top = params.levels - 1
    reach = 0.5 + params.stickiness / 2  # in levels: 0.5 is plain rounding
    scaled = np.clip(lift, 0.0, 1.0) * top
    rows = [_hold(row, top, reach) for row in scaled.reshape(-1, scaled.shape[-1]).tolist()]
    return np.array(rows, dtype=np.float64).reshape(lift.shape) / top


def _hold(scaled: list[float], top: int, reach: float) -> list[float]:
    """One row; a loop over a list is much faster than over arrays of one."""
    level = float(round(scaled[0]))
    held = []
    for now in scaled:
        if now == 0.0 or now == top:  # rest and full are always reached
            level = now
        elif abs(now - level) > reach:
            level = float(round(now))
        held.append(level)
    return held


STEP = Step(
    id="stairs", label="Stairs", help="Moves in even levels instead of smoothly.", params=StairsParams, apply=stairs
)

"""Stairs: lift moves in even levels, for motion that clicks from place to place."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.live import Live
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
    return Stairs(params, context)(lift, context=context)


class Stairs:
    """Stays on its levels from one stretch to the next."""

    def __init__(self, params: StairsParams, context: StepContext) -> None:
        self._top = params.levels - 1
        self._reach = 0.5 + params.stickiness / 2  # in levels: 0.5 is plain rounding
        self._levels: list[float] = []

    def __call__(self, lift: FloatArray, *, context: StepContext) -> FloatArray:
        """Take the next frames."""
        top = self._top
        scaled = np.clip(lift, 0.0, 1.0) * top
        nearest = np.round(scaled)
        pulled = np.where(
            scaled == 0.0, -np.inf, np.where(scaled == top, np.inf, scaled)
        )  # rest and full are always reached
        by_row = nearest.reshape(-1, nearest.shape[-1])
        self._levels = self._levels or by_row[:, 0].tolist()
        rows = zip(pulled.reshape(-1, pulled.shape[-1]), by_row, self._levels, strict=True)
        places = [_hold(*row, self._reach) for row in rows]
        self._levels = [row[-1] for row in places]
        return np.array(places, dtype=np.float64).reshape(lift.shape) / top


def _hold(scaled: FloatArray, nearest: FloatArray, level: float, reach: float) -> list[float]:
    """One row: a comprehension over lists is many times faster than a loop over arrays of one."""
    pairs = zip(scaled.tolist(), nearest.tolist(), strict=True)
    return [(level := near if abs(now - level) > reach else level) for now, near in pairs]


STEP = Step(
    id="stairs",
    label="Stairs",
    help="Moves in even levels instead of smoothly.",
    params=StairsParams,
    apply=stairs,
    live=Live(Stairs),
)

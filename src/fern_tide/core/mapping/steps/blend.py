"""Blend: another envelope joins in."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.live import Live
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.step import Step, StepContext


class Join(StrEnum):
    """What becomes of lift and the other level."""

    ADD = "add"
    MULTIPLY = "multiply"
    MAX = "max"
    MIN = "min"
    DIFFERENCE = "difference"


class BlendStepParams(Params):
    """Which envelope, how, and how much of it."""

    envelope: Annotated[str, unit("", "The envelope that joins in.", kind="envelope")] = ""
    how: Annotated[Join, unit("", "Difference is lift without it, never below 0.")] = Join.MULTIPLY
    amount: Annotated[float, Field(ge=0, le=10), unit("x", "How much of it; 1 is all.", step=0.05)] = 1.0


def blend(lift: FloatArray, *, params: BlendStepParams, context: StepContext) -> FloatArray:
    """Join lift with another envelope's level, which is brought to 1 at its loudest frame; with none it stays.

    Args:
        lift: shape (..., frames).
        params: see BlendStepParams.
        context: has the level, shape (frames,).

    Returns:
        The same shape. Multiplied by an amount below 1, lift keeps the rest of itself.
    """
    if params.envelope not in context.levels:
        return lift.copy()
    level = context.levels[params.envelope]
    return _joined(lift, level / (float(level.max(initial=0.0)) or 1.0), params)


def _joined(lift: FloatArray, other: FloatArray, params: BlendStepParams) -> FloatArray:
    if params.how is Join.MULTIPLY:
        return np.asarray(lift * np.maximum(0.0, 1.0 - params.amount + params.amount * other))
    other = other * params.amount
    if params.how is Join.ADD:
        return np.asarray(lift + other)
    if params.how is Join.DIFFERENCE:
        return np.maximum(lift - other, 0.0)
    return np.asarray(np.maximum(lift, other) if params.how is Join.MAX else np.minimum(lift, other))


class Blend:
    """Joins while both come: the other level is brought to 1 at the loudest frame until now."""

    def __init__(self, params: BlendStepParams, context: StepContext) -> None:
        self._params, self._loudest = params, 0.0

    def __call__(self, lift: FloatArray, *, context: StepContext) -> FloatArray:
        """Take the next frames."""
        level = context.levels.get(self._params.envelope)
        if level is None or not level.size:
            return lift.copy()
        loudest = np.maximum(np.maximum.accumulate(level), self._loudest)
        self._loudest = float(loudest[-1])
        return _joined(lift, level / np.where(loudest > 0.0, loudest, 1.0), self._params)


def words(params: BlendStepParams) -> str:
    """Say what live is otherwise."""
    return "Blend takes the loudest until now for full." if params.envelope else ""


def uses(params: BlendStepParams) -> tuple[str, ...]:
    """Give the envelope that it asks for."""
    return (params.envelope,) if params.envelope else ()


STEP = Step(
    id="blend",
    label="Blend",
    help="Another envelope joins in: added, multiplied, the higher, the lower, or taken away.",
    params=BlendStepParams,
    apply=blend,
    live=Live(Blend, words=words),
    uses=uses,
    lacks=lambda params: "" if params.envelope else "Blend has no envelope to join in: choose one, or take it off.",
    shown={"envelope": "other"},
)

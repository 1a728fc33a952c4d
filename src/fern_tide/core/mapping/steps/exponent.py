"""Exponent: lift is bent: quick to leave rest, or slow to."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.step import Step, StepContext, momentary


class ExponentStepParams(Params):
    """How bent."""

    power: Annotated[float, Field(ge=0.05, le=20), unit("", "Below 1 lifts the quiet, above 1 holds it down.")] = 2.0


def exponent(lift: FloatArray, *, params: ExponentStepParams, context: StepContext) -> FloatArray:
    """Give lift ** power, any shape; below 0 the curve is mirrored.

    Args:
        lift: any shape.
        params: the power.
        context: not used; every step has it.
    """
    return np.asarray(np.sign(lift) * np.abs(lift) ** params.power)


STEP = Step(
    id="exponent",
    label="Exponent",
    help="Leaves rest quickly (below 1) or slowly (above 1).",
    params=ExponentStepParams,
    apply=exponent,
    live=momentary(exponent),
)

"""Wrap: what leaves a range at one end comes in at the other."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.step import Step, StepContext


class WrapParams(Params):
    """The range."""

    low: Annotated[float, Field(ge=-1000, le=1000), unit("", "The lower bound.")] = 0.0
    high: Annotated[float, Field(ge=-1000, le=1000), unit("", "The upper bound.")] = 1.0

    @model_validator(mode="after")
    def _in_order(self) -> WrapParams:
        if self.high <= self.low:
            raise InvalidParameter("high", value=f"{self.high:g}", allowed=f"more than low, {self.low:g}")
        return self


def wrap(lift: FloatArray, *, params: WrapParams, context: StepContext) -> FloatArray:
    """Wrap lift around a range: past an end it begins anew at the other.

    Args:
        lift: any shape.
        params: the range; its upper end itself is the lower one.
        context: not used; every step has it.
    """
    return np.asarray(params.low + (lift - params.low) % (params.high - params.low))


STEP = Step(
    id="wrap",
    label="Wrap",
    help="Comes in at the other end of a range when it leaves it.",
    params=WrapParams,
    apply=wrap,
)

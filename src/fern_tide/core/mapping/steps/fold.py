"""Fold: what leaves a range is turned back into it, to and fro."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.step import Step, StepContext


class FoldParams(Params):
    """The range."""

    low: Annotated[float, Field(ge=-1000, le=1000), unit("", "The lower bound.")] = 0.0
    high: Annotated[float, Field(ge=-1000, le=1000), unit("", "The upper bound.")] = 1.0

    @model_validator(mode="after")
    def _in_order(self) -> FoldParams:
        if self.high <= self.low:
            raise InvalidParameter("high", value=f"{self.high:g}", allowed=f"more than low, {self.low:g}")
        return self


def fold(lift: FloatArray, *, params: FoldParams, context: StepContext) -> FloatArray:
    """Fold lift into a range: past an end it runs back.

    Args:
        lift: any shape.
        params: the range.
        context: not used; every step has it.
    """
    width = params.high - params.low
    return np.asarray(params.low + width - np.abs((lift - params.low) % (2 * width) - width))


STEP = Step(
    id="fold", label="Fold", help="Turns back at the ends of a range, to and fro.", params=FoldParams, apply=fold
)

"""A range that a step keeps lift in."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.params import Params, unit


class SpanParams(Params):
    """Two bounds, in lift."""

    low: Annotated[float, Field(ge=-1000, le=1000), unit("", "The lower bound.")] = 0.0
    high: Annotated[float, Field(ge=-1000, le=1000), unit("", "The upper bound.")] = 1.0

    @model_validator(mode="after")
    def _in_order(self) -> SpanParams:
        if self.high <= self.low:
            raise InvalidParameter("high", value=f"{self.high:g}", allowed=f"more than low, {self.low:g}")
        return self

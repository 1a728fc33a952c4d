"""Dials: numbers with a name, a unit and a range of the designer's own, to drive what is in no scene."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, StringConstraints, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.limits import Most
from fern_tide.core.base.params import Frozen, Params, unit
from fern_tide.core.base.target import Name
from fern_tide.core.mapping.drive import Number
from fern_tide.core.scene.properties import Property

MOST_NUMBERS = 64


class DialNumber(Frozen, frozen=True):
    """One number of a dial.

    Attributes:
        slot: which it is: its property is named by it, and stays its own when others go.
        name: what it is called.
        unit: what it is counted in.
        low: the least that it can be.
        high: the most.
    """

    slot: Annotated[int, Field(ge=1, le=MOST_NUMBERS)]
    name: Name = "Level"
    unit: Annotated[str, StringConstraints(max_length=12, strip_whitespace=True)] = ""
    low: Number = 0.0
    high: Number = 1.0

    @model_validator(mode="after")
    def _a_range(self) -> DialNumber:
        if self.low >= self.high:
            raise InvalidParameter(f"the least of {self.name}", value=self.low, allowed=f"less than {self.high:g}")
        return self

    @property
    def property(self) -> Property:
        """It as a property: at rest its least, at full its most."""
        span = self.high - self.low
        return Property(
            f"number_{self.slot}",
            self.name,
            self.unit,
            default=self.low,
            low=self.low,
            high=self.high,
            step=span / 100,
            swing=span,
        )


class DialParams(Params):
    """Its numbers."""

    numbers: Annotated[
        tuple[DialNumber, ...],
        Field(min_length=1),
        Most(MOST_NUMBERS),
        unit("", "What it counts, each with a name, a unit and a range.", kind="numbers"),
    ] = (DialNumber(slot=1),)

    @model_validator(mode="after")
    def _slots_once(self) -> DialParams:
        slots = [number.slot for number in self.numbers]
        if len(set(slots)) < len(slots):
            raise InvalidParameter("number", value=max(slots, key=slots.count), allowed="a number that no other has")
        return self


def more(params: DialParams) -> tuple[Property, ...]:
    """Give its numbers as properties."""
    return tuple(number.property for number in params.numbers)

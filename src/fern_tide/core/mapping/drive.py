"""A drive: one property that a mapping moves, from lift to its values."""

from __future__ import annotations

from collections.abc import Collection
from enum import StrEnum
from itertools import pairwise
from typing import Annotated, ClassVar

import numpy as np
from pydantic import Field, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.limits import Most
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.registry import Choice, Registry, discover
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Id, Target
from fern_tide.core.mapping import responses as responses_folder
from fern_tide.core.mapping.colour import Colour, mix_gradient
from fern_tide.core.mapping.response import Response

RESPONSES = discover(responses_folder, attribute="RESPONSE", of=Response, kind="response")

Number = Annotated[float, Field(ge=-1e9, le=1e9)]
MOST_REACHES_OF_A_DRIVE = 8


class ResponseChoice(Choice):
    """A response and its params."""

    registry: ClassVar[Registry[Response]] = RESPONSES


class Stacking(StrEnum):
    """What a mapping does to the value that earlier mappings gave the same property."""

    REPLACE = "replace"
    ADD = "add"
    MULTIPLY = "multiply"


class Stop(Frozen, frozen=True):
    """A colour that is met on the way from rest to full, where the response gives `at`."""

    at: Annotated[float, Field(gt=0, lt=1)]
    colour: Colour


class Within(Frozen, frozen=True):
    """The reaches that a drive goes by: parts that have less of the motion the farther outside these they stand.

    Attributes:
        reaches: the ids of parts that are reaches.
        x: where the driven part stands at rest on the stage, in px, or in the world, in metres, as when they were put
            together; so y and z.
    """

    reaches: Annotated[tuple[Id, ...], Field(min_length=1), Most(MOST_REACHES_OF_A_DRIVE)]
    x: Number = 0.0
    y: Number = 0.0
    z: Number = 0.0


class Drive(Frozen, frozen=True):
    """One property that a mapping drives, with its own ends and response.

    Attributes:
        target: the property.
        rest: the value at lift 0, a number in the property's unit or a colour.
        full: the value at lift 1, of the same kind.
        stops: for colours, those that are met between, their places ascending.
        response: the easing from lift to value.
        late_frames: how much later than the mapping it moves; a minus sign is earlier.
        stacking: what happens to an earlier mapping's value.
        along: the property of the mapping that it goes along with: a change there changes it too.
        other_way: whether it goes along the other way.
        share: how much of the motion it has: it multiplies what the response gives.
        rank: in a mapping that is spread, its place among the rows, from 0 for the first to 1 for the last; None is
            evenly, by the order of the drives.
        within: the reaches outside which it fades; None where there are none.
    """

    target: Target
    rest: Number | Colour
    full: Number | Colour
    stops: Annotated[tuple[Stop, ...], Most(8)] = ()
    response: ResponseChoice = ResponseChoice(id="straight")
    late_frames: Annotated[float, Field(ge=-10_000, le=10_000)] = 0.0
    stacking: Stacking = Stacking.REPLACE
    along: Target | None = None
    other_way: bool = False
    share: Annotated[float, Field(ge=-10, le=10, exclude_if=lambda share: share == 1.0)] = 1.0
    rank: Annotated[float, Field(ge=0, le=1)] | None = None
    within: Annotated[Within | None, Field(exclude_if=lambda within: within is None)] = None

    def without_reaches(self, gone: Collection[str]) -> Drive:
        """Give it so that it goes by some reaches no more."""
        if self.within is None or not set(gone) & set(self.within.reaches):
            return self
        left = tuple(name for name in self.within.reaches if name not in gone)
        return self.but(within=self.within.but(reaches=left) if left else None)

    @model_validator(mode="after")
    def _of_one_kind(self) -> Drive:
        if isinstance(self.rest, str) != isinstance(self.full, str):
            raise InvalidParameter("at full", value=self.full, allowed="a number with a number, a colour with a colour")
        if self.stops and not isinstance(self.rest, str):
            raise InvalidParameter("stops", value=len(self.stops), allowed="none: only colours have them")
        for before, after in pairwise(self.stops):
            if after.at <= before.at:
                raise InvalidParameter(
                    "stop", value=f"{after.at:g}", allowed=f"more than the one before, {before.at:g}"
                )
        return self


def eased(shaped: FloatArray, *, drive: Drive) -> FloatArray:
    """Give f(lift), of the same shape: the response, times how much of the motion the drive has."""
    answered: FloatArray = RESPONSES[drive.response.id].apply(shaped, params=drive.response.params)
    return answered if drive.share == 1.0 else answered * drive.share


def value(shaped: FloatArray, *, drive: Drive, shares: FloatArray | None = None) -> FloatArray:
    """Give rest + f(lift) * (full - rest), or the colours mixed in OKLab.

    Args:
        shaped: lift after the steps, shape (..., frames).
        drive: the ends and the response.
        shares: how much of the motion there is, which multiplies f(lift); None is all of it.

    Returns:
        Shape (..., frames) for a number; (3, ..., frames), sRGB from 0 to 1, for a colour. Exactly rest at lift 0.
    """
    moved = eased(shaped, drive=drive)
    if shares is not None:
        moved = moved * shares
    if isinstance(drive.rest, str) and isinstance(drive.full, str):
        colours = (drive.rest, *(stop.colour for stop in drive.stops), drive.full)
        return mix_gradient(colours, places=(0.0, *(stop.at for stop in drive.stops), 1.0), share=moved)
    rest, full = float(drive.rest), float(drive.full)
    return np.asarray(rest + moved * (full - rest))


def inverted(drive: Drive) -> Drive:
    """Give a drive that goes the other way as far: a factor to its reciprocal about rest, else mirrored about rest.

    Colours trade places. What grows by half shrinks to two thirds, so that taller and thinner keep the area.
    """
    if isinstance(drive.rest, str) or isinstance(drive.full, str):
        stops = tuple(Stop(at=1.0 - stop.at, colour=stop.colour) for stop in reversed(drive.stops))
        return drive.model_copy(update={"rest": drive.full, "full": drive.rest, "stops": stops})
    factor = drive.target.property.startswith("scale") and drive.rest > 0 and drive.full > 0
    full = drive.rest * drive.rest / drive.full if factor else 2.0 * drive.rest - drive.full
    return drive.model_copy(update={"full": full})

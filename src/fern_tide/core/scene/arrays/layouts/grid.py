"""Grid: rows and columns, and layers of them."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.arrays.layout import MOST_PIECES, Laid, Layout, Size, upright

_GAPS = ("gap_x", "gap_y", "gap_z")


class GridParams(Params):
    """How many pieces each way."""

    across: Annotated[int, Field(ge=1, le=MOST_PIECES), unit("", "How many beside each other.")] = 10
    up: Annotated[int, Field(ge=1, le=MOST_PIECES), unit("", "How many over each other.")] = 10
    deep: Annotated[int, Field(ge=1, le=MOST_PIECES), unit("", "How many behind each other.")] = 1

    @property
    def count(self) -> int:
        """How many pieces there are."""
        return self.across * self.up * self.deep

    @model_validator(mode="after")
    def _not_too_many(self) -> GridParams:
        if self.count > MOST_PIECES:
            raise InvalidParameter("pieces", value=f"{self.count:,}", allowed=f"at most {MOST_PIECES:,}")
        return self


def lay(params: GridParams) -> Laid:
    """Give pieces about the middle, those beside each other one after the other."""
    numbers = (params.across, params.up, params.deep)
    places = np.unravel_index(np.arange(params.count), numbers, order="F")
    ways = {}
    for axis, name in enumerate(_GAPS):
        ways[name] = np.zeros((params.count, 3))
        ways[name][:, axis] = places[axis] - (numbers[axis] - 1) / 2
    return Laid(ways, upright(params.count))


LAYOUT = Layout(
    id="grid",
    label="Grid",
    help="In rows and columns, and in layers.",
    params=GridParams,
    sizes=(Size("gap_x", "Gap across", 0.5), Size("gap_y", "Gap up", 0.5), Size("gap_z", "Gap towards you", 0.5)),
    count=lambda params: params.count,
    lay=lay,
    flat=lay,
)

"""Diamond: a square on its corner."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import PAINT_BINDINGS, Element, PartKind
from fern_tide.core.scene.properties import BLUR, PAINT, PLACE


class DiamondParams(Params):
    """Its middle and how far its corners are from it, in pixels."""

    cx: Annotated[float, unit("px", "The middle, from the left.", label="Centre across")] = 0.0
    cy: Annotated[float, unit("px", "The middle, from the top.", label="Centre down")] = 0.0
    reach: Annotated[float, Field(ge=0), unit("px", "From the middle to a corner.")] = 80.0


def draw(params: DiamondParams, part_id: str) -> Element:
    """Give the polygon."""
    x, y, reach = params.cx, params.cy, params.reach
    corners = ((x, y - reach), (x + reach, y), (x, y + reach), (x - reach, y))
    return Element("polygon", {"points": " ".join(f"{a:g},{b:g}" for a, b in corners)}, slot="own")


KIND = PartKind(
    id="diamond",
    label="Diamond",
    help="A square on its corner.",
    params=DiamondParams,
    properties=(*PLACE, BLUR, *PAINT),
    draw=draw,
    bindings=PAINT_BINDINGS,
)

"""Star: a shape with points."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import PAINT_BINDINGS, Element, PartKind
from fern_tide.core.scene.parts.polygon import ring
from fern_tide.core.scene.properties import BLUR, PAINT, PLACE


class StarParams(Params):
    """Centre, two radii and points."""

    cx: Annotated[float, unit("px", "The centre, from the left.", step=1, label="Centre across")] = 0.0
    cy: Annotated[float, unit("px", "The centre, from the top.", step=1, label="Centre down")] = 0.0
    outer: Annotated[float, Field(ge=0), unit("px", "From the centre to a point.", step=1)] = 90.0
    inner: Annotated[float, Field(ge=0), unit("px", "From the centre to a notch.", step=1)] = 40.0
    points: Annotated[int, Field(ge=3, le=60), unit("", "How many points it has.")] = 5


def draw(params: StarParams, part_id: str) -> Element:
    """Give the polygon element."""
    points = ring((params.outer, params.inner), 2 * params.points, middle=(params.cx, params.cy))
    return Element("polygon", {"points": points, "stroke-linejoin": "round"}, slot="own")


KIND = PartKind(
    id="star",
    label="Star",
    help="A shape with points.",
    params=StarParams,
    properties=(*PLACE, BLUR, *PAINT),
    draw=draw,
    bindings=PAINT_BINDINGS,
)

"""Rectangle: a box, its corners sharp or round."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import PAINT_BINDINGS, Element, PartKind
from fern_tide.core.scene.properties import BLUR, PAINT, PLACE


class RectangleParams(Params):
    """Corner, size and roundness, in pixels."""

    x: Annotated[float, unit("px", "The left edge.", label="Left")] = 0.0
    y: Annotated[float, unit("px", "The top edge.", label="Top")] = 0.0
    width: Annotated[float, Field(ge=0), unit("px", "How wide.")] = 100.0
    height: Annotated[float, Field(ge=0), unit("px", "How high.")] = 100.0
    rx: Annotated[float, Field(ge=0), unit("px", "How round its corners are.", label="Corner radius")] = 0.0


def draw(params: RectangleParams, part_id: str) -> Element:
    """Give the rect element."""
    return Element("rect", {name: f"{value:g}" for name, value in params.model_dump().items()}, slot="own")


KIND = PartKind(
    id="rectangle",
    label="Rectangle",
    help="A box, its corners sharp or round.",
    params=RectangleParams,
    properties=(*PLACE, BLUR, *PAINT),
    draw=draw,
    bindings=PAINT_BINDINGS,
    new_params=lambda x, y: {"x": x - 100, "y": y - 100, "width": 200, "height": 200},
)

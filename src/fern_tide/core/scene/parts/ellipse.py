"""Ellipse: a disc, round or oval."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import PAINT_BINDINGS, Element, PartKind
from fern_tide.core.scene.properties import BLUR, PAINT, PLACE


class EllipseParams(Params):
    """Centre and half-axes, in pixels."""

    cx: Annotated[float, unit("px", "The centre, from the left.", label="Centre across")] = 0.0
    cy: Annotated[float, unit("px", "The centre, from the top.", label="Centre down")] = 0.0
    rx: Annotated[float, Field(ge=0), unit("px", "Half the width.", label="Radius across")] = 50.0
    ry: Annotated[float, Field(ge=0), unit("px", "Half the height.", label="Radius down")] = 50.0


def draw(params: EllipseParams, part_id: str) -> Element:
    """Give the ellipse element."""
    return Element("ellipse", {name: f"{value:g}" for name, value in params.model_dump().items()}, slot="own")


KIND = PartKind(
    id="ellipse",
    label="Ellipse",
    help="A disc, round or oval.",
    params=EllipseParams,
    properties=(*PLACE, BLUR, *PAINT),
    draw=draw,
    bindings=PAINT_BINDINGS,
)

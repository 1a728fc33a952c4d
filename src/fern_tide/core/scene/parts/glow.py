"""Glow: a soft disc of light that fades to nothing at its edge."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import Binding, Element, PartKind
from fern_tide.core.scene.properties import BLUR, FILL, PLACE

_STOPS = ((0.0, 0.85), (0.25, 0.42), (0.6, 0.11), (1.0, 0.0))  # how far out, how strong


class GlowParams(Params):
    """Centre and radius, in pixels."""

    cx: Annotated[float, unit("px", "The centre, from the left.", label="Centre across")] = 0.0
    cy: Annotated[float, unit("px", "The centre, from the top.", label="Centre down")] = 0.0
    r: Annotated[float, Field(ge=0), unit("px", "How far it reaches.", label="Radius")] = 200.0


def draw(params: GlowParams, part_id: str) -> Element:
    """Give a disc filled with a radial gradient of one colour."""
    stops = tuple(
        Element("stop", {"offset": f"{at:g}", "stop-opacity": f"{strength:g}"}, slot=f"stop{index}")
        for index, (at, strength) in enumerate(_STOPS)
    )
    gradient = Element("radialGradient", {"id": f"{part_id}--fade"}, stops)
    disc = {"cx": f"{params.cx:g}", "cy": f"{params.cy:g}", "r": f"{params.r:g}", "fill": f"url(#{part_id}--fade)"}
    return Element("g", {}, (gradient, Element("circle", disc)), slot="own")


KIND = PartKind(
    id="glow",
    label="Glow",
    help="A soft disc of light that fades to nothing at its edge.",
    params=GlowParams,
    properties=(*PLACE, BLUR, FILL),
    draw=draw,
    shines=True,
    bindings=tuple(Binding("fill", f"stop{index}", "stop-color") for index in range(len(_STOPS))),
)

"""Polygon: a shape with even sides."""

from __future__ import annotations

from math import cos, pi, sin
from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import PAINT_BINDINGS, Element, PartKind
from fern_tide.core.scene.properties import BLUR, PAINT, PLACE


class PolygonParams(Params):
    """Centre, radius and sides."""

    cx: Annotated[float, unit("px", "The centre, from the left.", step=1, label="Centre across")] = 0.0
    cy: Annotated[float, unit("px", "The centre, from the top.", step=1, label="Centre down")] = 0.0
    radius: Annotated[float, Field(ge=0), unit("px", "From the centre to a corner.", step=1)] = 80.0
    sides: Annotated[int, Field(ge=3, le=60), unit("", "How many sides it has.")] = 6


def ring(radii: tuple[float, ...], count: int, *, middle: tuple[float, float]) -> str:
    """Give the points of a shape whose corners lie at the radii in turn, the first one at the top."""
    cx, cy = middle
    steps = ((radii[n % len(radii)], -pi / 2 + 2 * pi * n / count) for n in range(count))
    return " ".join(f"{cx + r * cos(at):.3f},{cy + r * sin(at):.3f}" for r, at in steps)


def draw(params: PolygonParams, part_id: str) -> Element:
    """Give the polygon element."""
    points = ring((params.radius,), params.sides, middle=(params.cx, params.cy))
    return Element("polygon", {"points": points, "stroke-linejoin": "round"}, slot="own")


KIND = PartKind(
    id="polygon",
    label="Polygon",
    help="A shape with even sides.",
    params=PolygonParams,
    properties=(*PLACE, BLUR, *PAINT),
    draw=draw,
    bindings=PAINT_BINDINGS,
)

"""Path: any shape, as SVG path data."""

from __future__ import annotations

from typing import Annotated

from pydantic import StringConstraints

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import PAINT_BINDINGS, Element, PartKind
from fern_tide.core.scene.properties import BLUR, PAINT, PLACE

PathData = Annotated[str, StringConstraints(pattern=r"^[MmLlHhVvCcSsQqTtAaZz0-9eE+\-., \n]*$", max_length=200_000)]


class PathParams(Params):
    """The outline."""

    data: Annotated[PathData, unit("", "SVG path data.", kind="outline", label="Outline")] = ""
    filled: Annotated[bool, unit("", "Whether the inside is painted.")] = True


def draw(params: PathParams, part_id: str) -> Element:
    """Give the path element."""
    attributes = {"d": params.data, "stroke-linecap": "round", "stroke-linejoin": "round"}
    return Element("path", attributes | ({} if params.filled else {"fill-opacity": "0"}), slot="own")


def new_arch(x: float, y: float) -> dict[str, str]:
    """Give a low arch about a point."""
    return {"data": f"M{x - 150:g} {y + 60:g}C{x - 60:g} {y - 160:g} {x + 60:g} {y - 160:g} {x + 150:g} {y + 60:g}Z"}


KIND = PartKind(
    id="path",
    label="Path",
    help="Any shape, as SVG path data.",
    params=PathParams,
    properties=(*PLACE, BLUR, *PAINT),
    draw=draw,
    hollow=lambda params: not params.filled,
    bindings=PAINT_BINDINGS,
    new_params=new_arch,
)

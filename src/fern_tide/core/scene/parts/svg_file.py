"""SVG file: a drawing that was brought in; its elements are parts inside it."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.limits import Most
from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import Element, PartKind
from fern_tide.core.scene.properties import BLUR, PLACE


class SvgFileParams(Params):
    """Which file, and how large it is."""

    file: Annotated[str, unit("", "The file.", kind="file")] = ""
    width: Annotated[float, Field(gt=0), unit("px", "How wide it is.")] = 100.0
    height: Annotated[float, Field(gt=0), unit("px", "How tall it is.")] = 100.0
    view: Annotated[
        tuple[float, ...],
        Most(4),
        unit("", "Its view box, fitted into that in the middle: left, top, width, height.", kind="given"),
    ] = ()
    curves: Annotated[
        int,
        Field(ge=0, exclude_if=lambda curves: not curves),
        unit("", "How many curves the outlines in it have.", kind="given"),
    ] = 0


def draw(params: SvgFileParams, part_id: str) -> Element:
    """Give the place that the file's own drawing is put into."""
    return Element("g", slot="own")


KIND = PartKind(
    id="svg_file",
    label="SVG file",
    help="A drawing that was brought in; its elements are parts inside it.",
    params=SvgFileParams,
    in_file="file",
    properties=(*PLACE, BLUR),
    offered=False,
    draw=draw,
    holds=True,
    vertices=lambda params: params.curves,
    whole_file=lambda params: True,
)

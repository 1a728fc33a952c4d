"""SVG element: one element of a drawing that was brought in."""

from __future__ import annotations

from functools import cache
from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import PartKind
from fern_tide.core.scene.properties import DASH, PAINT, PLACE, Property


def _size(id: str, label: str, *, low: float | None = 0.0, swing: float = 20.0) -> Property:
    return Property(id, label, "px", low=low, step=1, swing=swing)


ATTRIBUTES: dict[str, tuple[Property, str]] = {
    "opacity": (PLACE[5], "opacity"),
    "fill": (PAINT[0], "fill"),
    "stroke": (PAINT[1], "stroke"),
    "stroke_width": (PAINT[2], "stroke-width"),
    "fill_opacity": (
        Property("fill_opacity", "Fill opacity", default=1.0, low=0.0, high=1.0, swing=-0.6),
        "fill-opacity",
    ),
    "stroke_opacity": (
        Property("stroke_opacity", "Stroke opacity", default=1.0, low=0.0, high=1.0, swing=-0.6),
        "stroke-opacity",
    ),
    "dash_offset": (DASH, "stroke-dashoffset"),
    "left": (_size("left", "Left", low=None), "x"),
    "top": (_size("top", "Top", low=None), "y"),
    "box_width": (_size("box_width", "Box width"), "width"),
    "box_height": (_size("box_height", "Box height"), "height"),
    "centre_x": (_size("centre_x", "Centre across", low=None), "cx"),
    "centre_y": (_size("centre_y", "Centre down", low=None), "cy"),
    "radius": (_size("radius", "Radius"), "r"),
    "radius_x": (_size("radius_x", "Radius across"), "rx"),
    "radius_y": (_size("radius_y", "Radius down"), "ry"),
    "x1": (_size("x1", "Start across", low=None), "x1"),
    "y1": (_size("y1", "Start down", low=None), "y1"),
    "x2": (_size("x2", "End across", low=None), "x2"),
    "y2": (_size("y2", "End down", low=None), "y2"),
    "text_size": (_size("text_size", "Text size"), "font-size"),
    "spacing": (_size("spacing", "Letter spacing", low=None, swing=6.0), "letter-spacing"),
    "stop_colour": (
        Property("stop_colour", "Stop colour", kind="colour", default="#000000", swing="#f7dfa0"),
        "stop-color",
    ),
    "stop_opacity": (
        Property("stop_opacity", "Stop opacity", default=1.0, low=0.0, high=1.0, swing=-0.6),
        "stop-opacity",
    ),
    "stop_offset": (Property("stop_offset", "Stop offset", low=0.0, high=1.0, swing=0.3), "offset"),
    "blur": (Property("blur", "Blur", "px", low=0.0, step=0.5, swing=8.0), "stdDeviation"),
}
"""What can be animated of an element's attributes, by property."""

MOST_BASE = 4000
PLACED = frozenset(
    ("g", "path", "rect", "circle", "ellipse", "line", "polyline", "polygon", "text", "image", "use", "switch", "a")
)
"""The elements that have a place of their own: they are moved, turned and scaled."""


class SvgElementParams(Params):
    """Which element of which file, and what of it can be animated."""

    file: Annotated[str, unit("", "The file.", kind="file")] = ""
    index: Annotated[int, Field(ge=0), unit("", "The element's place in the file.")] = 0
    tag: Annotated[str, Field(max_length=40), unit("", "What element it is.", kind="given")] = "g"
    base: Annotated[str, Field(max_length=MOST_BASE), unit("", "The transform it came with.", kind="given")] = ""
    names: Annotated[str, Field(max_length=400), unit("", "The properties it has.", kind="given")] = ""
    curves: Annotated[
        int,
        Field(ge=0, exclude_if=lambda curves: not curves),
        unit("", "How many curves the outlines in it have.", kind="given"),
    ] = 0


@cache
def _properties(tag: str, names: str) -> tuple[Property, ...]:
    place = PLACE[:5] if tag in PLACED else ()
    return place + tuple(ATTRIBUTES[name][0] for name in names.split() if name in ATTRIBUTES)


def more(params: SvgElementParams) -> tuple[Property, ...]:
    """Give what can be animated of the element."""
    return _properties(params.tag, params.names)


KIND = PartKind(
    id="svg_element",
    label="Element",
    help="One element of a drawing that was brought in.",
    params=SvgElementParams,
    in_file="element",
    offered=False,
    vertices=lambda params: params.curves,
    writes=lambda params: params.tag in {"text", "tspan"},
    more=more,
)

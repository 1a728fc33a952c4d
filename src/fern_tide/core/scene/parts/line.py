"""Line: a straight stroke; its dashes can run."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import PAINT_BINDINGS, Binding, Element, PartKind
from fern_tide.core.scene.properties import BLUR, DASH, PAINT, PLACE


class LineParams(Params):
    """Its two ends, and how it is dashed."""

    x1: Annotated[float, unit("px", "The start, from the left.", step=1, label="Start across")] = -100.0
    y1: Annotated[float, unit("px", "The start, from the top.", step=1, label="Start down")] = 0.0
    x2: Annotated[float, unit("px", "The end, from the left.", step=1, label="End across")] = 100.0
    y2: Annotated[float, unit("px", "The end, from the top.", step=1, label="End down")] = 0.0
    dash: Annotated[float, Field(ge=0), unit("px", "How long a dash is; 0 for none.", step=1)] = 0.0


def draw(params: LineParams, part_id: str) -> Element:
    """Give the line element."""
    ends = {name: f"{getattr(params, name):g}" for name in ("x1", "y1", "x2", "y2")}
    dashes = {"stroke-dasharray": f"{params.dash:g}"} if params.dash else {}
    return Element("line", ends | dashes | {"stroke-linecap": "round"}, slot="own")


KIND = PartKind(
    id="line",
    label="Line",
    help="A straight stroke; its dashes can run.",
    params=LineParams,
    properties=(*PLACE, BLUR, *PAINT[1:], DASH),
    draw=draw,
    bindings=(*PAINT_BINDINGS[1:], Binding("dash_offset", "own", "stroke-dashoffset")),
    new_params=lambda x, y: {"x1": x - 200, "x2": x + 200, "y1": y, "y2": y},
    new_values={"stroke_width": 8.0},
)

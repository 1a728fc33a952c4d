"""Sound graphic: a spectrum or a waveform drawn as a line, bars, a mirrored band or a ring."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.graphic import MOST_POINTS, GraphicForm, level_properties, levels_in, outline
from fern_tide.core.scene.part import PAINT_BINDINGS, Element, PartKind
from fern_tide.core.scene.properties import BLUR, PAINT, PLACE, Property


class SoundGraphicParams(Params):
    """How many levels, drawn how, and how large, about the point where it stands."""

    form: Annotated[GraphicForm, unit("", "How the levels are drawn.")] = GraphicForm.BARS
    points: Annotated[int, Field(ge=2, le=MOST_POINTS), unit("", "How many levels it has.")] = 24
    cx: Annotated[float, unit("px", "Where it stands, from the left.", step=1, label="Centre across")] = 0.0
    cy: Annotated[float, unit("px", "Where it stands, from the top.", step=1, label="Centre down")] = 0.0
    width: Annotated[float, Field(gt=0), unit("px", "How wide it is; of a ring, its inner width.", step=1)] = 800.0
    height: Annotated[float, Field(gt=0), unit("px", "How far a full level reaches.", step=1)] = 200.0


def more(params: SoundGraphicParams) -> tuple[Property, ...]:
    """Give its levels."""
    return level_properties(params.points)


def draw(params: SoundGraphicParams, part_id: str) -> Element:
    """Give the path element; its outline is drawn from the levels."""
    line = {"fill-opacity": "0"} if params.form is GraphicForm.LINE else {}
    where = {"transform": f"translate({params.cx:g} {params.cy:g})", "stroke-linejoin": "round"}
    return Element("path", {"stroke-linecap": "round"} | where | line, slot="own")


def path(params: SoundGraphicParams, levels: FloatArray) -> str:
    """Give the outline's path data for levels of shape (points,)."""
    return outline(params.form, levels, width=params.width, height=params.height)


def read_path(params: SoundGraphicParams, data: str) -> FloatArray:
    """Read the levels back out of path data."""
    return levels_in(params.form, data, width=params.width, height=params.height, points=params.points)


KIND = PartKind(
    id="sound_graphic",
    label="Sound graphic",
    help="A spectrum or a waveform, drawn as a line, bars, a mirrored band or a ring.",
    params=SoundGraphicParams,
    properties=(*PLACE, BLUR, *PAINT),
    more=more,
    draw=draw,
    bindings=PAINT_BINDINGS,
    path=path,
    read_path=read_path,
    new_values={"stroke_width": 3.0},
)

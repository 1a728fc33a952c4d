"""Text: one line of words."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, StringConstraints

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import PAINT_BINDINGS, Element, PartKind
from fern_tide.core.scene.properties import PAINT, PLACE


class TextParams(Params):
    """The words and where they stand."""

    words: Annotated[str, StringConstraints(max_length=400), unit("", "What it says.")] = "Text"
    x: Annotated[float, unit("px", "The middle, from the left.")] = 0.0
    y: Annotated[float, unit("px", "The line on which the letters stand, from the top.")] = 0.0
    size: Annotated[float, Field(gt=0, le=2000), unit("px", "How large the letters are.")] = 80.0
    spacing: Annotated[float, unit("px", "Room between letters.")] = 0.0


def draw(params: TextParams, part_id: str) -> Element:
    """Give the text element, centred on x; a serif that every machine has stands in where Fraunces is not installed."""
    attributes = {
        "x": f"{params.x:g}",
        "y": f"{params.y:g}",
        "font-size": f"{params.size:g}",
        "letter-spacing": f"{params.spacing:g}",
        "font-family": "Fraunces, Georgia, serif",
        "text-anchor": "middle",
    }
    return Element("text", attributes, text=params.words, slot="own")


KIND = PartKind(
    id="text",
    label="Text",
    help="One line of words.",
    params=TextParams,
    properties=PLACE + PAINT,
    draw=draw,
    bindings=PAINT_BINDINGS,
)

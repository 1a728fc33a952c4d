"""Text: one line of words."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

from pydantic import Field, StringConstraints

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import PAINT_BINDINGS, Element, PartKind
from fern_tide.core.scene.properties import BLUR, PAINT, PLACE


class Font(StrEnum):
    """The fonts that ship with the application."""

    SERIF = "serif"
    SANS = "sans"
    MONO = "mono"


FAMILIES = {
    Font.SERIF: "Fraunces, Georgia, serif",
    Font.SANS: "'Instrument Sans', 'Helvetica Neue', Arial, sans-serif",
    Font.MONO: "'Spline Sans Mono', Menlo, monospace",
}


class TextParams(Params):
    """The words and where they stand."""

    words: Annotated[str, StringConstraints(max_length=400), unit("", "What it says.", kind="words")] = "Text"
    x: Annotated[float, unit("px", "The middle, from the left.", label="Middle")] = 0.0
    y: Annotated[float, unit("px", "The line on which the letters stand, from the top.", label="Line")] = 0.0
    size: Annotated[float, Field(gt=0, le=2000), unit("px", "How large the letters are.")] = 80.0
    spacing: Annotated[float, unit("px", "Room between letters.")] = 0.0
    font: Annotated[Font, unit("", "Which of the fonts that ship with the application.")] = Font.SERIF


def draw(params: TextParams, part_id: str) -> Element:
    """Give the text element, centred on x; a serif that every machine has stands in where Fraunces is not installed."""
    attributes = {
        "x": f"{params.x:g}",
        "y": f"{params.y:g}",
        "font-size": f"{params.size:g}",
        "letter-spacing": f"{params.spacing:g}",
        "font-family": FAMILIES[params.font],
        "text-anchor": "middle",
    }
    return Element("text", attributes, text=params.words, slot="own")


KIND = PartKind(
    id="text",
    label="Text",
    help="One line of words.",
    params=TextParams,
    properties=(*PLACE, BLUR, *PAINT),
    draw=draw,
    writes=lambda params: bool(params.words.strip()),
    bindings=PAINT_BINDINGS,
    new_params=lambda x, y: {"x": x, "y": y},
)

"""Array: many pieces, made from the parts that lie in it."""

from __future__ import annotations

from fern_tide.core.scene.arrays.field import ArrayParams
from fern_tide.core.scene.part import Element, PartKind
from fern_tide.core.scene.properties import BLUR, PIECE, PIECE_COLOURS, PLACE, Property


def more(params: ArrayParams) -> tuple[Property, ...]:
    """Give the sizes of its layout, its reaches, and its colours where it gives its pieces any."""
    return (*(PIECE_COLOURS if params.coloured else ()), *params.own_properties("2d"))


def draw(params: ArrayParams, part_id: str) -> Element:
    """Give an empty group; the scene puts the pieces in."""
    return Element("g", slot="own")


KIND = PartKind(
    id="array",
    label="Array",
    help="Many pieces, made from the parts that lie in it.",
    params=ArrayParams,
    properties=(*PIECE, *PLACE, BLUR),
    more=more,
    draw=draw,
    holds=True,
    pieces=True,
)

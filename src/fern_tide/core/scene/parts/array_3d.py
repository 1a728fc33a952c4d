"""Array: many pieces, made from the parts that lie in it."""

from __future__ import annotations

from fern_tide.core.scene.arrays.field import ArrayParams
from fern_tide.core.scene.part import PLACE_CHANNELS, PartKind
from fern_tide.core.scene.properties import PIECE_3D, PIECE_COLOURS, PLACE_3D, Property


def more(params: ArrayParams) -> tuple[Property, ...]:
    """Give the sizes of its layout, its reaches, and its colours where it gives its pieces any."""
    return (*(PIECE_COLOURS if params.coloured else ()), *params.own_properties("3d"))


KIND = PartKind(
    id="array_3d",
    label="Array",
    help="Many pieces, made from the parts that lie in it.",
    params=ArrayParams,
    properties=(*PIECE_3D, *PLACE_3D),
    more=more,
    space="3d",
    channels=PLACE_CHANNELS,
    holds=True,
    pieces=True,
)

"""The pieces of a 2D array in a drawing: each shows what it is made from once more, by reference."""

from __future__ import annotations

import xml.etree.ElementTree as ET

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.colour import colour_texts, mix_all, parse_colour
from fern_tide.core.scene.arrays.field import ArrayParams, pieces_of
from fern_tide.core.scene.arrays.layout import Layout
from fern_tide.core.scene.arrays.sources import sources_of
from fern_tide.core.scene.arrays.throw import still_flights
from fern_tide.core.scene.placement import anchored
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.core.scene.svg.geometry import number

MOST_DRAWN = 5000
"""Pieces that are drawn one by one; more of them are dots."""


def draw_pieces(group: ET.Element, scene: Scene, part: Part, *, prefix: str) -> None:
    """Put the pieces of an array into a group, as they stand at rest.

    Args:
        group: of the drawing.
        scene: whose.
        part: the array; the parts in it are drawn elsewhere, under their ids.
        prefix: before those ids.
    """
    params, sources = part.shape.params, sources_of(scene, part)
    assert isinstance(params, ArrayParams)
    layout: Layout = params.layout.spec
    own = {size.id: float(part.own(size.id)) for size in layout.sizes_of("2d")}
    pieces = pieces_of(params, sizes=own, n_sources=len(sources), space="2d")
    if not sources:
        return
    places, sizes, shares = pieces.laid.places(own), np.ones(pieces.n_pieces), pieces.ranks
    if layout.throws is not None:
        throw = layout.throws(params.layout.params, flat=True)
        thrown = still_flights(throw, own, np.arange(pieces.n_pieces))
        places, sizes, shares = thrown.places[..., 0].T, thrown.sizes[:, 0], thrown.ages[:, 0]
    if pieces.n_pieces > MOST_DRAWN:
        dots = "".join(f"M{number(x)} {number(y)}h0" for x, y in places[:, :2].tolist())
        ET.SubElement(group, "path", {"d": dots, "stroke": "#f7dfa0", "stroke-width": "3", "stroke-linecap": "round"})
        return
    pivots = [anchored(source) for source in sources]
    fills = _fills(part, shares) if params.coloured else None
    opacity = number(float(part.own("piece_opacity")))
    for piece, (x, y, _) in enumerate(places.tolist()):
        source = int(pieces.sources[piece])
        turn = float(pieces.laid.turns[2, piece])
        attributes = {"transform": _transform(part, (x, y), (turn, sizes[piece]), pivots[source]), "opacity": opacity}
        if fills is not None:
            attributes["fill"] = fills[piece]
        shown = ET.SubElement(group, "g", attributes)
        ET.SubElement(shown, "use", {"href": f"#{prefix}{sources[source].id}--move"})


def _transform(part: Part, place: tuple[float, float], laid: tuple[float, float], at: FloatArray) -> str:
    facing, size = laid
    x, y, turn, wide, tall = (float(part.own(f"piece_{name}")) for name in ("x", "y", "turn", "scale_x", "scale_y"))
    moves = (
        f"translate({number(place[0])} {number(place[1])})",
        f"rotate({number(facing)})" if facing else "",
        f"translate({number(at[0] + x)} {number(at[1] + y)})",
        f"rotate({number(turn)})",
        f"scale({number(wide * size)} {number(tall * size)})",
        f"translate({number(-at[0])} {number(-at[1])})",
    )
    return " ".join(filter(None, moves))


def _fills(part: Part, shares: FloatArray) -> list[str]:
    ends = [
        np.repeat(parse_colour(str(part.own(name)))[:, np.newaxis], len(shares), axis=1)
        for name in ("piece_colour", "piece_last_colour")
    ]
    return colour_texts(mix_all(*ends, share=shares))

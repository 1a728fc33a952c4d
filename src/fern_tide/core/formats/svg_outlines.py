"""Outlines that shapers or levels move, in animated SVG: written as path data over time, and read back."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Collection, Iterable, Mapping, Sequence

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.formats.format import HandOff
from fern_tide.core.formats.smil import Clock, animate_outline, values_in
from fern_tide.core.scene.outlines import elements_of, outlines_of, seen_rows
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.shaping import read_shapers
from fern_tide.core.scene.svg.drawing import Drawing, Node
from fern_tide.core.scene.svg.geometry import NUMBER

Elements = Mapping[tuple[str, str], ET.Element]
"""By part and slot."""


def rows_of(part: Part, names: Iterable[str], hand_off: HandOff) -> dict[str, FloatArray]:
    """Give the values of a part's properties, each of shape (frames,): their curves, or what they stand at."""
    curves, n_frames = hand_off.by_part.get(part.id, {}), hand_off.n_frames
    return {name: curves[name].values if name in curves else np.full(n_frames, float(part.own(name))) for name in names}


def insertions(
    drawing: Drawing, inserted: Mapping[int, Sequence[ET.Element]], outlined: Collection[int]
) -> list[tuple[int, int, bytes]]:
    """Say what of a file's text becomes what else, each from where to where, so that elements hold more.

    Args:
        drawing: the file.
        inserted: what goes into its elements, by their places.
        outlined: the places of those that are paths from now on, whatever they were.
    """
    cuts = []
    for index, elements in inserted.items():
        node = drawing.nodes[index]
        prefix, local = node.name.rpartition(":")[::2]
        markup, name = b"".join(_markup(item, prefix) for item in elements), node.name
        if index in outlined and local != "path":
            name = f"{prefix}:path" if prefix else "path"
            cuts += _renamed(drawing, node, name)
        if node.closed and elements:
            cuts.append((node.head, node.head + 2, b">" + markup + f"</{name}>".encode()))
        elif elements:
            cuts.append((node.head, node.head, markup))
    return cuts


def _markup(element: ET.Element, prefix: str) -> bytes:
    if prefix:
        element.tag = f"{prefix}:{element.tag}"
    return ET.tostring(element)


def _renamed(drawing: Drawing, node: Node, name: str) -> list[tuple[int, int, bytes]]:
    """Call an element something else where it begins and, if it does not close itself, where it ends."""
    begins = node.start + 1
    cuts = [(begins, begins + len(node.name.encode()), name.encode())]
    if not node.closed:
        last = drawing.text.rindex(b"</", node.head, node.end) + 2
        cuts.append((last, last + len(node.name.encode()), name.encode()))
    return cuts


def outline_animations(part: Part, hand_off: HandOff, clock: Clock) -> Iterable[tuple[int, ET.Element]]:
    """Write the animations of the outlines that a part's shapers move, each with its element's place in the file."""
    seen = seen_frames(part, hand_off)
    if seen is not None:
        for outline in outlines_of(hand_off.scene, hand_off.media, part):
            yield outline.node, animate_outline(outline, seen, clock)


def seen_frames(part: Part, hand_off: HandOff) -> FloatArray | None:
    """Give how much is seen of each shape of a part's shapers, (shapes, frames); None without shapers."""
    if not part.shapers:
        return None
    names = [item.id for item in part.shaped]
    return seen_rows(part, rows_of(part, names, hand_off))


def read_shaped(part: Part, elements: Elements, hand_off: HandOff) -> Mapping[str, FloatArray]:
    """Read the amounts of a part's shapers from the outline that they move most; none where nothing moves."""
    n_frames = hand_off.n_frames
    outlines = outlines_of(hand_off.scene, hand_off.media, part)
    if not outlines:
        return {}
    outline = max(outlines, key=lambda one: one.strength)
    texts = values_in(
        elements.get(elements_of(hand_off.scene, part, [outline])[0]), "animate", attribute="d", n_frames=n_frames
    )
    if not texts:
        return {}
    baked = rows_of(part, [item.id for item in part.shaped], hand_off)
    points = np.stack([_points_in(text) for text in texts[0]], axis=-1)
    return read_shapers(part.shapers, outline.read(points), baked)


def _points_in(data: str) -> FloatArray:
    """Read the points of path data that was written here, or stands between two such, shape (points, 2)."""
    return np.array([float(word) for word in NUMBER.findall(data)]).reshape(-1, 2)


def read_levels(part: Part, elements: Elements, n_frames: int, *, known: dict[str, FloatArray]) -> FloatArray:
    """Read a sound graphic's levels, shape (levels, frames), once for all of them."""
    if part.id not in known:
        assert part.kind.read_path is not None
        texts = values_in(elements.get((part.id, "own")), "animate", attribute="d", n_frames=n_frames)[0]
        known[part.id] = np.stack([part.kind.read_path(part.shape.params, text) for text in texts], axis=1)
    return known[part.id]

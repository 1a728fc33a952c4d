"""Outlines that shapers or levels move, in animated SVG: written as path data over time, and read back."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Collection, Mapping, Sequence

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.formats.format import HandOff
from fern_tide.core.formats.shaped import shaped_parts
from fern_tide.core.formats.smil import Clock, animate_outline, keyed, values_in
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.svg.drawing import Drawing, Node
from fern_tide.core.scene.svg.geometry import NUMBER

Elements = Mapping[tuple[str, str], ET.Element]
"""By part and slot."""


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


def outline_animations(hand_off: HandOff, clock: Clock) -> dict[int, ET.Element]:
    """Write the animations of outlines that are not as their file has them, by their elements' places in it."""
    animations: dict[int, ET.Element] = {}
    for shaped in shaped_parts(hand_off).values():
        keys = keyed(shaped.seen, clock)
        if shaped.seen.any():
            animations |= {node: animate_outline(one, keys, clock) for node, one in shaped.outlines.items()}
    return animations


def read_points(element: ET.Element | None, n_frames: int) -> FloatArray | None:
    """Read the points of an element's outline, shape (points, 2, frames); None where nothing moves it."""
    texts = values_in(element, "animate", attribute="d", n_frames=n_frames)
    return np.stack([_points_in(text) for text in texts[0]], axis=-1) if texts else None


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

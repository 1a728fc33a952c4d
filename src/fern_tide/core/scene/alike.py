"""Which parts look like one another: by their names, or by their kind, paint and size."""

from __future__ import annotations

import re
from collections.abc import Mapping

from fern_tide.core.scene.extent import Extent
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.core.scene.svg.geometry import Box

PLAIN = frozenset(("path", "rectangle", "group", "polygon", "circle", "ellipse", "line", "node", "shape", "material"))
"""First words of names that a reader gives to what has none: they say nothing of being alike."""
_NUMBER = re.compile(r"[\s_\-.]*\d+$")
_ONE_SIDE, _BOTH_SIDES = 1.25, 4.0  # how many times as wide or as tall it may be
_THINNEST = 1e-4  # of the stage
_PAINTS = ("fill", "stroke", "colour", "opacity")


def without_number(name: str) -> str:
    """Give a name without the number at its end: 'Bar 12' gives 'Bar'."""
    return _NUMBER.sub("", name)


def first_word(part: Part) -> str:
    """Give the first word of a part's name, without a number, in small letters: 'shape' where there is none."""
    words = without_number(part.name).replace("_", " ").replace("-", " ").replace(".", " ").split()
    return words[0].lower() if words else "shape"


def all_like(scene: Scene, part_id: str, *, extents: Mapping[str, Extent]) -> list[str]:
    """List the parts that look like one, itself too, in the order of the tree.

    Those are alike that are of one kind and whose names differ by a number, or that are painted alike and of much the
    same size: within a quarter as wide or as tall, and up to four times in the other direction.

    Raises:
        UnknownName: there is no such part.
    """
    one = scene.part(part_id)
    named = first_word(one) not in PLAIN and without_number(one.name) != one.name
    kind, stem, paint = _kind(one), without_number(one.name), _paint(one)
    alike = []
    for part in scene.parts:
        if _kind(part) != kind:
            continue
        same_name = named and without_number(part.name) == stem
        if part is one or same_name or (_paint(part) == paint and _of_one_size(extents, one, part)):
            alike.append(part.id)
    return alike


def _kind(part: Part) -> tuple[str, str, int]:
    return part.shape.id, str(getattr(part.shape.params, "tag", "")), len(part.properties)


def _paint(part: Part) -> tuple[float | str, ...]:
    return tuple(part.own(name) for name in _PAINTS if part.has(name))


def _of_one_size(extents: Mapping[str, Extent], one: Part, other: Part) -> bool:
    if one.id not in extents or other.id not in extents:
        return False
    a, b = _sides(extents[one.id].stage), _sides(extents[other.id].stage)
    times = sorted(max(x / y, y / x) for x, y in zip(a, b, strict=True))
    return times[0] <= _ONE_SIDE and times[1] <= _BOTH_SIDES


def _sides(box: Box) -> tuple[float, float]:
    return max(_THINNEST, box[2] - box[0]), max(_THINNEST, box[3] - box[1])


def enclosed(scene: Scene, box: Box, *, extents: Mapping[str, Extent]) -> list[str]:
    """List the parts that lie in a box with all that is seen of them, in the order of the tree.

    A part inside another one that is listed is left out: it moves with that.

    Args:
        scene: its parts.
        box: left, top, right and bottom in shares of the stage.
        extents: where parts are.
    """
    left, top, right, bottom = box
    inside: dict[str, bool] = {}
    listed = []
    for part in scene.parts:
        edges = extents[part.id].stage if part.id in extents else None
        within = edges is not None and left <= edges[0] and top <= edges[1] and edges[2] <= right and edges[3] <= bottom
        above = part.parent is not None and inside[part.parent]
        inside[part.id] = within or above
        if within and not above and part.properties:
            listed.append(part.id)
    return listed


def all_others(scene: Scene, chosen: frozenset[str], *, extents: Mapping[str, Extent]) -> list[str]:
    """List, in the order of the tree, the parts that hold no others, can be seen, and are not in what is chosen."""
    holders = {part.parent for part in scene.parts}
    within: dict[str, bool] = {}
    others = []
    for part in scene.parts:
        within[part.id] = part.id in chosen or (part.parent is not None and within[part.parent])
        if part.id not in holders and not within[part.id] and part.id in extents:
            others.append(part.id)
    return others


def between(scene: Scene, one: str, other: str) -> list[str]:
    """List the parts from one to another, both included, in the order of the tree; only the two where they lie apart.

    Raises:
        UnknownName: one of them is not there.
    """
    parent = scene.part(one).parent
    if scene.part(other).parent != parent:
        return [part.id for part in scene.parts if part.id in {one, other}]
    beside = [part.id for part in scene.parts if part.parent == parent]
    first, last = sorted((beside.index(one), beside.index(other)))
    return beside[first : last + 1]

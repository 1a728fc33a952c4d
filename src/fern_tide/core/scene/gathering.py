"""Parts put together, so that they move as one about a common anchor: a part of its own in the tree, with them inside.

Parts that were made here go into a group, and so do models and their nodes: they lie in it then, also in what is handed
off. Elements of a drawing stay where they are in their file: each of them gets the motion of what they lie in here,
before its own.
"""

from __future__ import annotations

from collections.abc import Sequence

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.scene import Part, PartChoice, Scene

_GROUPS = {"2d": "group", "3d": "group_3d"}


def gathered(scene: Scene, outer_id: str, parts: Sequence[str], *, name: str, anchor: Anchor) -> Scene:
    """Put parts together.

    Args:
        scene: where they are.
        outer_id: of the part that they lie in then; no part has it yet.
        parts: two or more, which lie in the same part.
        name: what people read.
        anchor: about which they turn and scale together, in what they lie in.

    Raises:
        UnknownName: one of them is not there.
        FernTideError: they lie in different parts, or some of them cannot be put together.
    """
    ids = {scene.part(name).id for name in parts}
    members = [part for part in scene.parts if part.id in ids]
    if len(members) < 2:
        raise FernTideError("One part moves as one already.", remedy="Choose two or more.")
    if len({part.parent for part in members}) > 1:
        raise FernTideError("These parts lie in different parts.", remedy="Choose parts that lie in the same one.")
    if all(part.kind.is_shaped or part.kind.holds or part.kind.whole_file(part.shape.params) for part in members):
        kind = PartChoice(id=_GROUPS[scene.kind])
    elif all(part.kind.in_file in {"element", "gathering"} and part.has("x") for part in members):
        kind = PartChoice(id="as_one", params={"file": members[0].file})
    else:
        raise FernTideError(
            "Not all of these parts can be put together.",
            remedy="Choose parts that were made here, models, nodes, or elements of one drawing that have a place.",
        )
    outer = Part(id=outer_id, name=name, parent=members[0].parent, anchor=anchor, shape=kind)
    return scene.but(parts=_with(scene.parts, outer, ids))


def _with(parts: Sequence[Part], outer: Part, members: set[str]) -> tuple[Part, ...]:
    """Put a part in, with its members: in a drawing before the first of them, else behind the last with all of them."""
    inside = set(members)
    for part in parts:
        if part.parent in inside:
            inside.add(part.id)
    moved = [_into(part, outer.id) if part.id in members else part for part in parts]
    if outer.kind.in_file:
        first = next(place for place, part in enumerate(parts) if part.id in members)
        return (*moved[:first], outer, *moved[first:])
    last = max(place for place, part in enumerate(parts) if part.id in inside)
    before = [part for place, part in enumerate(moved) if part.id not in inside and place <= last]
    return (*before, outer, *(part for part in moved if part.id in inside), *moved[last + 1 :])


def _into(part: Part, parent: str | None) -> Part:
    return part.model_copy(update={"parent": parent})


def let_go(parts: Sequence[Part], gone: str) -> tuple[Part, ...]:
    """Take away what parts of a drawing were put together in; they lie in what it lay in."""
    above = next(part.parent for part in parts if part.id == gone)
    return tuple(_into(part, above) if part.parent == gone else part for part in parts if part.id != gone)


def ungathered(parts: Sequence[Part]) -> tuple[Part, ...]:
    """Give parts with every element of a drawing in what it lies in in its file."""
    for part in parts:
        if part.kind.in_file == "gathering":
            parts = let_go(parts, part.id)
    return tuple(parts)


def regathered(parts: Sequence[Part], before: Sequence[Part]) -> tuple[Part, ...]:
    """Put parts together as they were before, where two or more of them are still there and lie in the same part."""
    for outer in reversed(before):  # what lies in another first
        if outer.kind.in_file != "gathering":
            continue
        inside = {part.id for part in before if part.parent == outer.id}
        members = [part for part in parts if part.id in inside]
        if len({part.parent for part in members}) == 1 and len(members) > 1:
            parts = _with(parts, _into(outer, members[0].parent), {part.id for part in members})
    return tuple(parts)


def parents_first(parts: Sequence[Part]) -> tuple[Part, ...]:
    """Give parts in their order, but none before what it lies in: that is waited for.

    Args:
        parts: each with a parent among them, or none; not in a circle.
    """
    ordered: list[Part] = []
    waiting: dict[str, list[Part]] = {}
    there: set[str] = set()
    for part in parts:
        ready = [part]
        while ready:
            item = ready.pop()
            if item.parent is not None and item.parent not in there:
                waiting.setdefault(item.parent, []).append(item)
                continue
            ordered.append(item)
            there.add(item.id)
            ready += reversed(waiting.pop(item.id, []))
    return tuple(ordered)

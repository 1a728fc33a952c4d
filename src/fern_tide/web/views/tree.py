"""The rows of the tree of parts that the Stage shows."""

from __future__ import annotations

from collections.abc import Mapping as Named
from collections.abc import Sequence
from dataclasses import dataclass

from fern_tide.core.bake.bake import Drivers
from fern_tide.core.base.target import Target
from fern_tide.core.scene.graphic import is_level
from fern_tide.core.scene.scene import Part, Scene

ALL_OPEN = 80
MOST_ROWS = 300


@dataclass(frozen=True)
class Row:
    """A row of the tree.

    Attributes:
        part: which.
        depth: how far inside.
        count: how many parts are inside it.
        open: whether they are shown.
        runs: the first driven property, as 'lamp:turn', or ''.
        label: that property's label.
        unit: that property's unit.
    """

    part: Part
    depth: int
    count: int
    open: bool
    runs: str = ""
    label: str = ""
    unit: str = ""


def rows_of(
    scene: Scene, chosen: Part | None, moved: Named[Target, Drivers], opened: Sequence[str], find: str
) -> list[Row]:
    """Give the rows of the tree: all of a small one; of a large one those that are open, or that a search finds.

    Args:
        scene: whose parts.
        chosen: the part whose row is shown in any case.
        moved: what is driven.
        opened: the parts whose folds are not as they are at first.
        find: what is searched; '' for nothing.
    """
    inside: dict[str | None, list[Part]] = {}
    known = {part.id: part for part in scene.parts}
    for part in scene.parts:
        inside.setdefault(part.parent, []).append(part)
    runs: dict[str, Target] = {}
    for target in moved:
        if not is_level(target.property):
            runs.setdefault(target.part, target)
    roots = inside.get(None, ())
    open_now = set(known) - set(opened) if len(scene.parts) <= ALL_OPEN else set(opened)
    if len(roots) == 1 and roots[0].id not in opened:
        open_now.add(roots[0].id)
    above = chosen.parent if chosen else None
    while above is not None:
        open_now.add(above)
        above = known[above].parent
    rows: list[Row] = []

    def row(part: Part, depth: int) -> Row:
        target = runs.get(part.id)
        item = part.property(target.property) if target else None
        count, is_open = len(inside.get(part.id, ())), part.id in open_now
        if target is None or item is None:
            return Row(part, depth, count, is_open)
        return Row(part, depth, count, is_open, str(target), item.label.lower(), item.unit)

    if find.strip():
        hits = [part for part in scene.parts if find.strip().lower() in part.name.lower()]
        return [row(part, 0) for part in hits[:MOST_ROWS]]
    waiting = [(part, 0) for part in reversed(inside.get(None, ()))]
    while waiting and len(rows) < 2 * MOST_ROWS:
        part, depth = waiting.pop()
        rows.append(row(part, depth))
        if part.id in open_now:
            waiting += [(item, depth + 1) for item in reversed(inside.get(part.id, [])[:MOST_ROWS])]
    return rows

"""The rows of the tree of parts that the Stage shows."""

from __future__ import annotations

from collections.abc import Mapping as Named
from collections.abc import Sequence
from dataclasses import dataclass

from fern_tide.core.bake.bake import Drivers
from fern_tide.core.base.target import Target
from fern_tide.core.first_cut.scene import LEAST_SHARE
from fern_tide.core.scene.graphic import is_level
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.workflows.derive.stages import Staged

ALL_OPEN = 80
MOST_ROWS = 200
_EDGE = 12  # rows: nearer to the end of what is drawn, a chosen one is put into the middle


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


@dataclass(frozen=True)
class Rows:
    """The rows of the tree that are drawn, with how many there are before and after them."""

    rows: list[Row]
    before: int
    after: int


@dataclass(frozen=True)
class Look:
    """How the tree is looked at.

    Attributes:
        opened: the parts whose folds are not as they are at first.
        find: what is searched; '' for nothing.
        at: the first row that is drawn; None goes by the chosen part.
        reveals: whether the chosen part's row is among those that are drawn in any case.
        larger: whether parts too small to be seen well are left out, unless they are chosen or driven.
    """

    opened: Sequence[str] = ()
    find: str = ""
    at: int | None = None
    reveals: bool = False
    larger: bool = False


def chosen_part(scene: Scene, wanted: str) -> Part | None:
    """Give the part that is chosen: that of an id, or the first; None of an empty scene."""
    return next((item for item in scene.parts if item.id == wanted), next(iter(scene.parts), None))


def chosen_ids(part: Part | None, parts: Sequence[Part]) -> frozenset[str]:
    """Give the ids of all that is chosen: several parts, or one."""
    return frozenset(item.id for item in parts) if len(parts) > 1 else frozenset({part.id} if part else ())


def rows_of(staged: Staged, chosen: Part | None, moved: Named[Target, Drivers], *, look: Look) -> Rows:
    """Give the rows of the tree that are drawn, 200 at most, and count the others.

    Args:
        staged: the scene whose parts they are.
        chosen: the part that its holders are open for.
        moved: what is driven.
        look: how the tree is looked at.
    """
    scene, inside = staged.scene, dict[str | None, list[Part]]()
    for part in scene.parts:
        inside.setdefault(part.parent, []).append(part)
    open_now = _open(scene, inside, chosen, look.opened)
    if look.find.strip():
        wanted = look.find.strip().lower()
        places = [(part, 0) for part in scene.parts if wanted in part.name.lower()]
    else:
        places = _walk(inside, open_now)
    runs: dict[str, Target] = {}
    for target in moved:
        if not is_level(target.property):
            runs.setdefault(target.part, target)
    if look.larger:
        places = [item for item in places if item[0] is chosen or item[0].id in runs or not _small(staged, item[0])]
    start = _start(places, chosen, look)
    drawn = places[start : start + MOST_ROWS]
    rows = [_row(part, depth, len(inside.get(part.id, ())), part.id in open_now, runs) for part, depth in drawn]
    return Rows(rows, start, len(places) - start - len(rows))


def _small(staged: Staged, part: Part) -> bool:
    """Say whether a part covers less of the stage than can be seen well, wherever it lies."""
    extent = staged.extents.get(part.id)
    if extent is None:
        return False
    left, top, right, bottom = extent.stage
    return (right - left) * (bottom - top) < LEAST_SHARE


def _open(scene: Scene, inside: Named[str | None, list[Part]], chosen: Part | None, opened: Sequence[str]) -> set[str]:
    """Give the parts that are unfolded: all of a small scene, a single root, and what the chosen part lies in."""
    open_now = {part.id for part in scene.parts} - set(opened) if len(scene.parts) <= ALL_OPEN else set(opened)
    roots = inside.get(None, ())
    if len(roots) == 1 and roots[0].id not in opened:
        open_now.add(roots[0].id)
    above = chosen.parent if chosen else None
    while above is not None:
        open_now.add(above)
        above = scene.part(above).parent
    return open_now


def _walk(inside: Named[str | None, list[Part]], open_now: set[str]) -> list[tuple[Part, int]]:
    """List the parts whose rows can be scrolled to, with how far inside they lie."""
    places = []
    waiting = [(part, 0) for part in reversed(inside.get(None, ()))]
    while waiting:
        part, depth = waiting.pop()
        places.append((part, depth))
        if part.id in open_now:
            waiting += [(item, depth + 1) for item in reversed(inside.get(part.id, ()))]
    return places


def _start(places: Sequence[tuple[Part, int]], chosen: Part | None, look: Look) -> int:
    last = max(0, len(places) - MOST_ROWS)
    own = next((at for at, (part, _) in enumerate(places) if part is chosen), None)
    start = look.at
    if own is not None and (start is None or (look.reveals and not start + _EDGE <= own < start + MOST_ROWS - _EDGE)):
        start = own - MOST_ROWS // 2
    return min(last, max(0, start or 0))


def _row(part: Part, depth: int, count: int, is_open: bool, runs: Named[str, Target]) -> Row:
    target = runs.get(part.id)
    if target is None:
        return Row(part, depth, count, is_open)
    item = part.property(target.property)
    return Row(part, depth, count, is_open, str(target), item.label.lower(), item.unit)

"""What is known of a scene: the things in it that could be moved, alone or alike, where they stand, how they look."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from math import log

import numpy as np

from fern_tide.core.base.naming import lowered, plural
from fern_tide.core.base.target import Target
from fern_tide.core.first_cut.things import LENS, Stance, Thing, near_end, painted
from fern_tide.core.mapping.colour import luminance, parse_colour
from fern_tide.core.scene.alike import PLAIN, first_word, without_number
from fern_tide.core.scene.extent import Extent
from fern_tide.core.scene.scene import Part, Scene

LEAST_SHARE = 0.0005  # of the stage: what is smaller is left alone
_BACKGROUND = 0.6  # of the stage
_WHOLE = 0.9  # of the stage
_MOST_ALIKE = 120  # parts: more of them are a texture, which moves with what it lies in
_MANY = 3  # things, with which a file as a whole is none by itself
_NEAR_FLOOR = 0.92
_ALIKE = log(1.25)  # sizes within a fifth
_LIGHTS = re.compile(r"\b(lamp|light|glow|bulb|sun|moon|star|candle|flame|fire|led|neon|lantern)s?\b", re.IGNORECASE)
_COUNTS = ["no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"]


@dataclass(frozen=True, eq=False)
class SceneSummary:
    """What is known of a scene.

    Attributes:
        things: the largest first.
        kind: '2d' or '3d'.
        taken: the properties that something moves already.
    """

    things: tuple[Thing, ...]
    kind: str
    taken: Collection[Target] = frozenset()

    @property
    def rows(self) -> int:
        """How many parts the longest row of things alike has; 0 where there is none."""
        return max((thing.count for thing in self.things if thing.is_row), default=0)


def look(
    scene: Scene,
    *,
    extents: Mapping[str, Extent],
    taken: Collection[Target] = frozenset(),
    still: Collection[str] = frozenset(),
    only: Collection[str] = frozenset(),
) -> SceneSummary:
    """Find the things of a scene.

    Args:
        scene: its parts.
        extents: where they are.
        taken: properties that are moved already.
        still: parts that are left alone, such as those that their file moves.
        only: parts to look at; none is all.
    """
    seen = [part for part in scene.parts if part.id not in still and _can_be_seen(part, extents)]
    seen = [part for part in seen if not only or part.id in only]
    groups, grouped = [], set[str]()
    for members in _alike(seen, extents):
        if len(members) > 1:
            grouped |= {part.id for part in members}
        if 1 < len(members) <= _MOST_ALIKE:
            groups.append(members)
    holders = _holders_of(scene, groups, seen, extents)
    alone = [(part,) for part in seen if part.id not in grouped and part.id not in holders]
    names = {part.id: part for part in scene.parts}
    things = [_thing(parts, extents, names, scene, first=seen[0] if seen else None) for parts in (*groups, *alone)]
    cameras = [Thing((part,), (), _called(part), films=True) for part in scene.parts if part.has(LENS)]
    wanted = [thing for thing in cameras if not only or thing.parts[0].id in only]
    ordered = sorted((thing for thing in things if _movable(thing)), key=lambda thing: -thing.share)
    return SceneSummary((*ordered, *wanted), scene.kind, taken)


def _movable(thing: Thing) -> bool:
    return any(item.id not in {"left", "top"} for item in thing.parts[0].properties)


def _can_be_seen(part: Part, extents: Mapping[str, Extent]) -> bool:
    extent = extents.get(part.id)
    if extent is None or part.has(LENS):
        return False
    if part.has("opacity") and float(part.own("opacity")) <= 0.0 and not part.kind.holds:
        return False
    return extent.share >= LEAST_SHARE or bool(part.kind.emits) or part.kind.in_file == "light"


def _alike(parts: Sequence[Part], extents: Mapping[str, Extent]) -> list[tuple[Part, ...]]:
    """Group siblings of one kind whose names begin alike; of those without a name, those of one size within a fifth."""
    kinds: dict[tuple[object, ...], list[Part]] = {}
    for part in parts:
        tag = getattr(part.shape.params, "tag", "")
        kinds.setdefault((part.parent, part.shape.id, tag, len(part.properties)), []).append(part)
    groups: list[tuple[Part, ...]] = []
    for siblings in kinds.values():
        named: dict[str, list[Part]] = {}
        for part in siblings:
            named.setdefault(first_word(part), []).append(part)
        plain = [part for stem in sorted(named) if stem in PLAIN for part in named[stem]]
        groups += [_ordered(members, extents) for stem, members in sorted(named.items()) if stem not in PLAIN]
        groups += [_ordered(members, extents) for members in _of_one_size(plain, extents)]
    return groups


def _of_one_size(parts: Sequence[Part], extents: Mapping[str, Extent]) -> list[list[Part]]:
    """Part parts by their size, those within a fifth of the middle of a group together."""
    if len(parts) <= 1:
        return [list(parts)] if parts else []
    sized = sorted(((_sizes(extents[part.id]), part) for part in parts), key=lambda item: item[0])
    groups: list[list[Part]] = []
    starts: list[tuple[float, float]] = []
    for size, part in sized:
        near = next(
            (
                at
                for at in range(len(groups) - 1, max(-1, len(groups) - 12), -1)
                if abs(size[0] - starts[at][0]) <= _ALIKE and abs(size[1] - starts[at][1]) <= _ALIKE
            ),
            None,
        )
        if near is None:
            groups.append([part])
            starts.append(size)
        else:
            groups[near].append(part)
    return groups


def _sizes(extent: Extent) -> tuple[float, float]:
    left, top, right, bottom = extent.stage
    return log(max(right - left, 1e-6)), log(max(bottom - top, 1e-6))


def _ordered(parts: Iterable[Part], extents: Mapping[str, Extent]) -> tuple[Part, ...]:
    return tuple(sorted(parts, key=lambda part: extents[part.id].stage[0] + extents[part.id].stage[2]))


def _holders_of(
    scene: Scene, groups: Sequence[tuple[Part, ...]], seen: Sequence[Part], extents: Mapping[str, Extent]
) -> set[str]:
    """List the parts that only hold a group of things alike, and those that stand for whole files of many things."""
    members = {part.id for parts in groups for part in parts}
    inner: dict[str, list[str]] = {}
    for part in scene.parts:
        inner.setdefault(part.parent or "", []).append(part.id)
    holding = {part.id for part in scene.parts if part.id in inner and set(inner[part.id]) <= members}
    files = {part.id for part in scene.parts if part.kind.in_file == "file"}
    others = len(groups) + len({part.id for part in seen} - members - holding - files)
    return (holding - files) | (_wholes(files, seen, extents) if others >= _MANY else set())


def _wholes(files: Collection[str], seen: Sequence[Part], extents: Mapping[str, Extent]) -> set[str]:
    """List the parts that stand for a whole file: itself, and groups as large as the stage that hold all of it."""
    inner: dict[str, list[str]] = {}
    for part in seen:
        if not extents[part.id].hides_its_edges:
            inner.setdefault(part.parent or "", []).append(part.id)
    wholes = set(files)
    for whole in files:
        while len(inside := inner.get(whole, [])) == 1 and inside[0] in inner and extents[inside[0]].share > _WHOLE:
            whole = inside[0]
            wholes.add(whole)
    return wholes


def _thing(
    parts: tuple[Part, ...],
    extents: Mapping[str, Extent],
    names: Mapping[str, Part],
    scene: Scene,
    *,
    first: Part | None,
) -> Thing:
    own = tuple(extents[part.id] for part in parts)
    one = parts[0]
    holder = names.get(one.parent or "")
    text = one.kind.writes(one.shape.params)
    glows = bool(one.kind.emits) or one.kind.shines or one.kind.in_file == "light" or bool(_LIGHTS.search(one.name))
    return Thing(
        parts=parts,
        extents=own,
        words=_called(one) if len(parts) == 1 else _called_together(parts, holder, names),
        stance=_stance(parts, own),
        light=float(np.mean([_lightness(part) for part in parts])),
        glows=glows and not one.kind.holds and not text,
        text=text,
        joined=_belongs(holder, extents, len(parts), names),
        background=len(parts) == 1 and own[0].share > _BACKGROUND and _lies_behind(one, first),
    )


def _lies_behind(part: Part, first: Part | None) -> bool:
    return part is first or part.kind.middle is not None or part.kind.in_file == "file"


def _belongs(holder: Part | None, extents: Mapping[str, Extent], count: int, names: Mapping[str, Part]) -> bool:
    """Say whether parts lie in a group with others, and the group is no larger than half of the stage."""
    if holder is None or holder.kind.in_file == "file" or holder.id not in extents:
        return False
    others = sum(1 for part in names.values() if part.parent == holder.id) - count
    return others > 0 and extents[holder.id].share < 0.5


def _stance(parts: Sequence[Part], extents: Sequence[Extent]) -> Stance:
    if all(extent.own is None for extent in extents):
        return _stance_in_space(parts, extents)
    if all(near_end(part, extent, at_top=True) for part, extent in zip(parts, extents, strict=True)):
        return Stance.HANGS
    if all(near_end(part, extent, at_top=False) for part, extent in zip(parts, extents, strict=True)):
        return Stance.FLOOR
    bases = [extent.stage[3] for extent in extents]
    level = len(parts) > 2 and max(bases) - min(bases) < 0.02
    if level or min(bases) >= _NEAR_FLOOR:
        return Stance.FLOOR
    tall = all(extent.stage[3] - extent.stage[1] > extent.stage[2] - extent.stage[0] for extent in extents)
    return Stance.HANGS if tall and max(extent.stage[1] for extent in extents) <= 0.02 else Stance.FREE


def _stance_in_space(parts: Sequence[Part], extents: Sequence[Extent]) -> Stance:
    """3D parts turn and grow about their own origin; solids that are made here stand on it."""
    solid = all(part.kind.solid is not None for part in parts)
    return Stance.FLOOR if solid else Stance.FREE


def _lightness(part: Part) -> float:
    """Give the relative luminance of a part's own colour, 0 to 1; a half where it has none."""
    for name in painted(part):
        if part.has(name):
            own = part.own(name)
            return float(luminance(parse_colour(str(own))))
    return 1.0 if part.kind.shines else 0.5


def _called(part: Part) -> str:
    return f"the {lowered(part.name)}"


def _called_together(parts: Sequence[Part], holder: Part | None, names: Mapping[str, Part]) -> str:
    count = _COUNTS[len(parts)] if len(parts) < len(_COUNTS) else str(len(parts))
    whole = holder is not None and sum(1 for part in names.values() if part.parent == holder.id) == len(parts)
    if whole and holder is not None and holder.kind.in_file != "file" and holder.name.lower().endswith("s"):
        return f"the {count} {lowered(holder.name)}"
    stems = [without_number(part.name) for part in parts]
    stem = stems[0] if len(set(stems)) == 1 else _common(stems)
    return f"the {count} {lowered(plural(stem))}"


def _common(names: Sequence[str]) -> str:
    """Give the words that names begin with alike, or 'part'."""
    split = [name.split() for name in names]
    shared = []
    for words in zip(*split, strict=False):
        if len(set(words)) > 1:
            break
        shared.append(words[0])
    return " ".join(shared) or "part"

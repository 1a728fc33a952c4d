"""A newer version of a file under the parts of an older one: which part is which, and what hands did stays."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from typing import Any

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.naming import Ids
from fern_tide.core.base.target import Target
from fern_tide.core.scene.gathering import parents_first, regathered, ungathered
from fern_tide.core.scene.ride import RIDING
from fern_tide.core.scene.scene import Part, Scene, SceneFile
from fern_tide.core.scene.shaping import can_be_shaped, most_moved, n_moved
from fern_tide.workflows.bring_in.scene_files import SceneContent, look_at, parts_in
from fern_tide.workflows.studio import Studio

_Place = tuple[str, int, str]


def _place(part: Part) -> _Place:
    """Give what tells a part from the others of its file: its kind, its place among those, and what it holds."""
    return part.shape.id, part.file_index, getattr(part.shape.params, "holds", "")


def originals_of(studio: Studio, scene: Scene, file: SceneFile) -> dict[_Place, Part]:
    """Give the parts of a file as they were before any hand; none where it cannot be read."""
    try:
        content = look_at({file.name: studio.media.read(file.media)})
    except FernTideError:
        return {}
    parts = parts_in(content, file, scene=scene, ids=Ids())
    count = Counter(map(_place, parts))
    return {_place(part): part for part in parts if count[_place(part)] == 1}


def relink(
    scene: Scene, old: SceneFile, content: SceneContent, *, media: str, originals: Mapping[_Place, Part]
) -> tuple[Scene, tuple[str, ...]]:
    """Give the scene on a new version of a file; parts with the same way of names to them keep their ids.

    Args:
        scene: as it is.
        old: the file, as it was.
        content: what came.
        media: the hash that it is kept under.
        originals: the old file's parts as they were before any hand: names and values that differ were given by hand,
            and stay.

    Returns:
        The scene, and the names of what is new.
    """
    flat = ungathered(scene.parts)
    mine = [part for part in flat if getattr(part.shape.params, "file", None) == old.id]
    others = [part for part in flat if getattr(part.shape.params, "file", None) != old.id]
    outside = {part.id for part in others}
    ids = Ids(part.id for part in scene.parts)
    file = old.model_copy(update={"media": media, "name": content.name[:120]})
    fresh = parts_in(content, file, scene=scene, ids=ids)
    above = {part.id: part.parent for part in flat}
    by_way = {way: part for part, way in _ways(mine, above, {place: part.name for place, part in originals.items()})}
    renamed: dict[str, Part] = {part.id: by_way[way] for part, way in _ways(list(fresh), {}, {}) if way in by_way}
    parts = []
    for part in fresh:
        before = renamed.get(part.id)
        parent = renamed[part.parent].id if part.parent in renamed else part.parent
        if before is not None and before.parent in outside:
            parent = before.parent  # a node in a group stays there
        update: dict[str, Any] = {"parent": parent}
        if before is not None:
            untouched = originals.get(_place(before), before)
            values = {**part.values, **_by_hand(before, untouched)}
            update |= {
                "id": before.id,
                "name": part.name if before.name == untouched.name else before.name,
                "values": {name: value for name, value in values.items() if value is not None and part.has(name)},
                "anchor": part.anchor if before.anchor.word == part.anchor.word else before.anchor,
            }
            if before.ride is not None and part.has("x"):
                riding = {name: value for name, value in before.values.items() if name in RIDING}
                update |= {"ride": before.ride, "values": {**update["values"], **riding}}
            if before.shapers and can_be_shaped(part) and n_moved(part, before.shapers) <= most_moved(part):
                shaped = {item.id: before.own(item.id) for item in before.shaped}
                update |= {"shapers": before.shapers, "values": {**update["values"], **shaped}}
        parts.append(part.model_copy(update=update))
    ids_left = {part.id for part in parts} | outside
    orphans = [part.model_copy(update={"parent": None}) if part.parent not in ids_left else part for part in others]
    place = flat.index(mine[0]) if mine else len(flat)
    before_it = sum(part not in mine for part in flat[:place])
    whole = regathered(parents_first((*orphans[:before_it], *parts, *orphans[before_it:])), scene.parts)
    known = {part.id: part for part in whole}

    def there(target: Target) -> bool:
        return target.part in known and known[target.part].has(target.property)

    relinked = scene.but(
        parts=whole,
        files=tuple(file if item.id == old.id else item for item in scene.files),
        follows=tuple(item for item in scene.follows if there(item.target) and there(item.source)),
        limits=tuple(item for item in scene.limits if there(item.target)),
        selections=tuple(item for one in scene.selections if (item := one.within(set(known))) is not None),
    )
    return relinked, tuple(part.name for part in fresh if part.id not in renamed)


def _by_hand(part: Part, untouched: Part) -> dict[str, float | str | None]:
    """Give the values of a part that a hand changed; None where it brought the default back."""
    names = {**part.values, **untouched.values}
    changed = (name for name in names if part.values.get(name) != untouched.values.get(name))
    return {name: part.values.get(name) for name in changed}


def _ways(
    parts: list[Part], above: Mapping[str, str | None], named: Mapping[_Place, str]
) -> list[tuple[Part, tuple[str, ...]]]:
    """Give each part of a file with the names on the way to it; of those with the same, the second has its number.

    Args:
        parts: all of the file, the outermost first.
        above: what every part of the scene lies in, for nodes that were put into groups.
        named: names that count in place of their own.
    """
    ways: dict[str, tuple[str, ...]] = {}
    seen: dict[tuple[str, ...], int] = {}
    names = []
    for place, part in enumerate(parts):
        outer = part.parent
        while outer is not None and outer not in ways:
            outer = above.get(outer)
        way = (*ways.get(outer or "", ()), named.get(_place(part), part.name) if place else "")
        seen[way] = seen.get(way, 0) + 1
        ways[part.id] = way
        names.append((part, way if seen[way] == 1 else (*way, str(seen[way]))))
    return names

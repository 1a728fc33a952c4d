"""What a mapping can be aimed at: lists of properties, first choices, and another target with its settings kept."""

from __future__ import annotations

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.graphic import is_level

MOST_PLACES = 300


def aim(project: Project, mapping: Mapping, *, place: int, target: Target) -> Mapping:
    """Let the drive at a place move another property; past the last, add a drive.

    All settings stay. So do the ends, where the other property counts in the same unit, and else they are its own. A
    mapping that was named after what it moved is named after what it moves now.

    Raises:
        UnknownName: there is no such part or property.
        InvalidParameter: the mapping drives the property already.
    """
    part, item = project.scene.resolve(target)
    if any(drive.target == target for at, drive in enumerate(mapping.drives) if at != place):
        name = f"{part.name}, {item.label.lower()}"
        raise InvalidParameter("property", value=name, allowed="one that this mapping does not drive already")
    drives = list(mapping.drives)
    like = drives[min(max(place, 0), len(drives) - 1)]
    drives[place : place + 1] = [aimed(project, like, target, own_ends=place >= len(drives))]
    moved = mapping.drives[place] if 0 <= place < len(mapping.drives) else None
    renamed = moved is not None and mapping.name == name_after(project, moved.target)
    return mapping.but(drives=tuple(drives), name=name_after(project, target) if renamed else mapping.name)


def name_after(project: Project, target: Target) -> str:
    """Name a mapping after what it moves."""
    part, item = project.scene.resolve(target)
    return f"{part.name} {item.label.lower()}"[:120]


def aimed(project: Project, drive: Drive, target: Target, *, own_ends: bool = False) -> Drive:
    """Give a drive of another property that moves as one does.

    Args:
        project: knows the properties.
        drive: its response, lateness and stacking stay; its ends where the other property counts in the same unit; the
            reaches that it goes by where it is one of the same part.
        target: the other property.
        own_ends: the ends are those of the other property in any case.

    Raises:
        UnknownName: there is no such part or property.
    """
    part, item = project.scene.resolve(target)
    _, before = project.scene.resolve(drive.target)
    if part.id != drive.target.part:
        drive = drive.but(within=None)
    alike = item.unit or item.kind == "colour" or item.id == before.id  # a bare number says nothing about another one
    if (item.kind, item.unit) == (before.kind, before.unit) and alike and not own_ends:
        return drive.but(target=target)
    rest, full = item.suggest_ends(part.own(item.id))
    return drive.but(target=target, rest=rest, full=full, stops=())


def places_for(project: Project, drive: Drive) -> list[tuple[str, str]]:
    """List where a drive could move to, its settings kept: the same property of other parts, and what the part has."""
    part, item = project.scene.resolve(drive.target)
    places = [
        (f"{part.id}:{other.id}", f"{part.name}, {other.label.lower()}")
        for other in part.properties
        if other.kind == item.kind and other.id != item.id and not is_level(other.id)
    ]
    for other_part in project.scene.parts:
        if other_part.id != part.id and other_part.has(item.id):
            places.append((f"{other_part.id}:{item.id}", f"{other_part.name}, {item.label.lower()}"))
        if len(places) > MOST_PLACES:
            break
    return places


def next_target(project: Project, mapping: Mapping) -> Target:
    """Suggest what a mapping could move too: the same property of the next part, else the part's next property."""
    taken = {drive.target for drive in mapping.drives}
    last = mapping.drives[-1].target
    parts = [part.id for part in project.scene.parts]
    after = parts[parts.index(last.part) + 1 :]
    for part_id in (*after, *parts):
        candidate = Target(part=part_id, property=last.property)
        known = project.scene.part(part_id).has(last.property)
        if known and candidate not in taken:
            return candidate
    for item in project.scene.part(last.part).properties:
        candidate = Target(part=last.part, property=item.id)
        if candidate not in taken and not is_level(item.id):
            return candidate
    raise InvalidParameter("property", value="missing", allowed="another mapping: this one drives all that it could")


def first_choice(project: Project) -> tuple[str, Target]:
    """Pick the envelope and property that a new mapping starts with: the first property that nothing drives.

    Raises:
        InvalidParameter: there is no envelope, or the scene has no parts.
    """
    if not project.envelopes:
        raise InvalidParameter("envelope", value="missing", allowed="a sound first: add one in the Sound room")
    taken = {drive.target for mapping in project.mappings for drive in mapping.drives}
    free = [
        Target(part=part.id, property=item.id)
        for part in project.scene.parts
        for item in part.properties
        if not is_level(item.id) and Target(part=part.id, property=item.id) not in taken
    ]
    if not free:
        raise InvalidParameter("part", value="missing", allowed="a scene with something that nothing drives yet")
    wanted = {name: place for place, name in enumerate(("scale_y", "opacity", "turn", "y"))}

    def order(target: Target) -> tuple[int, bool]:
        return wanted.get(target.property, len(wanted)), project.scene.part(target.part).kind.holds

    return project.envelopes[0].id, min(free, key=order)

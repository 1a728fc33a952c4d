"""Edits of several parts at once: anchors, own values, limits, names, and selections that have a name."""

from __future__ import annotations

from collections.abc import Mapping as Named
from math import cos, radians, sin
from typing import Annotated, Literal

from pydantic import Field

from fern_tide.core.base.errors import UnknownName
from fern_tide.core.base.limits import Most
from fern_tide.core.base.params import build
from fern_tide.core.base.target import Id, Name, Target
from fern_tide.core.commands.command import Command, Indirect, by_id, put, without
from fern_tide.core.document import Project
from fern_tide.core.mapping.colour import Colour
from fern_tide.core.mapping.drive import Drive, Number, Stacking
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.follow import Limit
from fern_tide.core.scene.gathering import gathered
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.placement import about_anchor
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.selection import MOST_CHOSEN, Selection

_Shift = tuple[float, float]


def with_parts(project: Project, changed: Named[str, Part]) -> Project:
    """Give the document with some parts replaced, by their ids."""
    parts = tuple(changed.get(item.id, item) for item in project.scene.parts)
    return project.but(scene=project.scene.but(parts=parts))


def _of_all(project: Project, parts: tuple[str, ...], name: str) -> str:
    """Give a property of parts in words: 'turn of Lamp', 'turn of 3 parts'."""
    part = project.scene.part(parts[0])
    whose = part.name if len(parts) == 1 else f"{len(parts)} parts"
    return f"{part.property(name).label.lower()} of {whose}"


class SetAnchors(Command, frozen=True):
    """Move anchors. The parts, as they stand at rest, stay where they are."""

    kind: Literal["set_anchors"] = "set_anchors"
    anchors: Annotated[dict[Id, Anchor], Field(min_length=1), Most(MOST_CHOSEN)]

    def label(self, before: Project) -> str:
        part_id, anchor = next(iter(self.anchors.items()))
        one = len(self.anchors) == 1
        whose = (
            f"the anchor of {before.scene.part(part_id).name} at its" if one else f"{len(self.anchors)} anchors at the"
        )
        return f"Put {whose} {anchor.word or 'new place'}"

    def apply(self, project: Project) -> Project:
        rests = _rests(project.mappings, set(self.anchors))
        changed: dict[str, Part] = {}
        shifts: dict[str, _Shift] = {}
        for part_id, anchor in self.anchors.items():
            part = project.scene.part(part_id)
            changed[part_id] = part.model_copy(update={"anchor": anchor})
            if project.scene.kind == "3d" or not part.has("x"):
                continue  # in 3D a part at its own turn and scale stands where it says, always
            shifts[part_id] = shift = _shift(part, anchor, rests)
            values = dict(part.values)
            for name, by in zip("xy", shift, strict=True):
                values |= {name: round(float(part.own(name)) + by, 9)} if round(by, 9) else {}
            changed[part_id] = changed[part_id].model_copy(update={"values": values})
        mappings = tuple(_shifted(item, shifts) for item in project.mappings)
        return with_parts(project, changed).but(mappings=mappings)


def _rests(mappings: tuple[Mapping, ...], parts: set[str]) -> dict[Target, float]:
    """Give what the last mapping that replaces a value gives at rest, of numbers of some parts: it is what is seen."""
    rests: dict[Target, float] = {}
    for mapping in mappings:
        for drive in mapping.drives if not mapping.muted else ():
            if drive.target.part in parts and drive.stacking is Stacking.REPLACE and not isinstance(drive.rest, str):
                rests[drive.target] = float(drive.rest)
    return rests


def _shift(part: Part, anchor: Anchor, rests: Named[Target, float]) -> _Shift:
    """Give how far a 2D part must be moved so that another anchor does not move it at rest."""

    def rest(name: str) -> float:
        return rests.get(Target(part=part.id, property=name), float(part.own(name)))

    turn, wide, tall = radians(rest("turn")), rest("scale_x"), rest("scale_y")
    dx, dy = part.anchor.x - anchor.x, part.anchor.y - anchor.y
    turned = (cos(turn) * wide * dx - sin(turn) * tall * dy, sin(turn) * wide * dx + cos(turn) * tall * dy)
    return dx - turned[0], dy - turned[1]


def _shifted(mapping: Mapping, shifts: Named[str, _Shift]) -> Mapping:
    """Move the ends of what drives parts' places by as much as the parts were moved."""

    def moved(drive: Drive) -> Drive:
        by = dict(zip("xy", shifts.get(drive.target.part, (0.0, 0.0)), strict=True)).get(drive.target.property)
        if not by or drive.stacking is not Stacking.REPLACE:
            return drive
        return drive.model_copy(update={"rest": float(drive.rest) + by, "full": float(drive.full) + by})

    return mapping.model_copy(update={"drives": tuple(moved(drive) for drive in mapping.drives)})


class SetAnchor(Indirect, frozen=True):
    """Move a part's anchor. The part, as it stands at rest, stays where it is."""

    kind: Literal["set_anchor"] = "set_anchor"
    id: Id
    anchor: Anchor

    def stands_for(self, project: Project) -> SetAnchors:
        return SetAnchors(anchors={self.id: self.anchor})


class SetValues(Command, frozen=True):
    """Change parts' own values of one property, turns and scales about anchors; None brings the default back."""

    kind: Literal["set_values"] = "set_values"
    parts: Annotated[tuple[Id, ...], Field(min_length=1), Most(MOST_CHOSEN)]
    property: Id
    value: Number | Colour | None

    def label(self, before: Project) -> str:
        return f"Set the {_of_all(before, self.parts, self.property)}"

    def apply(self, project: Project) -> Project:
        changed = {}
        for part_id in self.parts:
            part = project.scene.part(part_id)
            item = part.property(self.property)
            values = {key: value for key, value in part.values.items() if key != item.id}
            if self.value is not None and self.value != item.default:
                values[item.id] = self.value
            changed[part_id] = about_anchor(project.scene, part, part.model_copy(update={"values": values}))
        return with_parts(project, changed)


class SetValue(Indirect, frozen=True):
    """Change a part's own value of a property; None brings the default back."""

    kind: Literal["set_value"] = "set_value"
    target: Target
    value: Number | Colour | None

    def stands_for(self, project: Project) -> SetValues:
        return SetValues(parts=(self.target.part,), property=self.target.property, value=self.value)


class SetLimits(Command, frozen=True):
    """Keep one property of parts within limits; two open ends take them away."""

    kind: Literal["set_limits"] = "set_limits"
    parts: Annotated[tuple[Id, ...], Field(min_length=1), Most(MOST_CHOSEN)]
    property: Id
    low: Number | None = None
    high: Number | None = None

    def label(self, before: Project) -> str:
        return f"Limit the {_of_all(before, self.parts, self.property)}"

    def apply(self, project: Project) -> Project:
        targets = [Target(part=part, property=self.property) for part in self.parts]
        others = tuple(item for item in project.scene.limits if item.target not in set(targets))
        limits = tuple(build(Limit, {"target": target, "low": self.low, "high": self.high}) for target in targets)
        open_ended = self.low is None and self.high is None
        return project.but(scene=project.scene.but(limits=others if open_ended else (*others, *limits)))


class PutLimit(Indirect, frozen=True):
    """Keep a property within limits; two open ends take them away."""

    kind: Literal["put_limit"] = "put_limit"
    limit: Limit

    def stands_for(self, project: Project) -> SetLimits:
        target, low, high = self.limit.target, self.limit.low, self.limit.high
        return SetLimits(parts=(target.part,), property=target.property, low=low, high=high)


class RenameParts(Command, frozen=True):
    """Give several parts other names."""

    kind: Literal["rename_parts"] = "rename_parts"
    names: Annotated[dict[Id, Name], Field(min_length=1), Most(MOST_CHOSEN)]

    def label(self, before: Project) -> str:
        return f"Rename {len(self.names)} parts"

    def apply(self, project: Project) -> Project:
        scene = project.scene
        changed = {key: scene.part(key).model_copy(update={"name": name}) for key, name in self.names.items()}
        return with_parts(project, changed)


class GatherParts(Command, frozen=True):
    """Put parts together, so that they move as one about a common anchor."""

    kind: Literal["gather_parts"] = "gather_parts"
    id: Id
    parts: Annotated[tuple[Id, ...], Field(min_length=2), Most(MOST_CHOSEN)]
    name: Name
    anchor: Anchor = Anchor()

    def label(self, before: Project) -> str:
        return f"Let {len(self.parts)} parts move as one"

    def apply(self, project: Project) -> Project:
        scene = gathered(project.scene, self.id, self.parts, name=self.name, anchor=self.anchor)
        return project.but(scene=scene)


class PutSelection(Command, frozen=True):
    """Give parts that are chosen together a name, or change the selection of the same id."""

    kind: Literal["put_selection"] = "put_selection"
    selection: Selection

    def label(self, before: Project) -> str:
        old = by_id(before.scene.selections, self.selection.id)
        if old is None:
            return f"Name the selection {self.selection.name}"
        return f"Rename the selection {old.name}" if old.name != self.selection.name else f"Change {old.name}"

    def apply(self, project: Project) -> Project:
        return project.but(scene=project.scene.but(selections=put(project.scene.selections, self.selection)))


class RemoveSelection(Command, frozen=True):
    """Forget a selection's name; its parts stay."""

    kind: Literal["remove_selection"] = "remove_selection"
    id: Id

    def _known(self, project: Project) -> Selection:
        known = by_id(project.scene.selections, self.id)
        if known is None:
            raise UnknownName(f"There is no selection {self.id:.60}.", remedy="It may have been removed.", name=self.id)
        return known

    def label(self, before: Project) -> str:
        return f"Forget the selection {self._known(before).name}"

    def apply(self, project: Project) -> Project:
        self._known(project)
        return project.but(scene=project.scene.but(selections=without(project.scene.selections, self.id)))

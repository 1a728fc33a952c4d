"""Edits of mappings, of the versions that they are compared with, and of the project's recipes."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from fern_tide.core.base.errors import FernTideError, InvalidParameter, UnknownName
from fern_tide.core.base.limits import Most
from fern_tide.core.base.target import Id, Name
from fern_tide.core.commands.command import Command, Indirect, by_id, choice_label, put, without
from fern_tide.core.document import Project
from fern_tide.core.mapping.drive import Drive, Stop
from fern_tide.core.mapping.linking import relinked
from fern_tide.core.mapping.mapping import MOST_VERSIONS, Mapping, Version
from fern_tide.core.mapping.recipe import MOST_RECIPES, Recipe

VERSION_NAMES = ("A", "B", "C", "D")


class PutMapping(Command, frozen=True):
    """Add a mapping at the end, or change the one of the same id."""

    kind: Literal["put_mapping"] = "put_mapping"
    mapping: Mapping

    def label(self, before: Project) -> str:
        old, new = by_id(before.mappings, self.mapping.id), self.mapping
        if old is None:
            return f"Add {new.name}"
        if old.name != new.name:
            return f"Rename {old.name} to {new.name}"
        if old.envelope != new.envelope:
            return f"Let {before.envelope(new.envelope).name} drive {new.name}"
        if old.muted != new.muted:
            return f"{'Mute' if new.muted else 'Unmute'} {new.name}"
        if old.marks.low != new.marks.low and old.marks.high == new.marks.high:
            return f"Move low water of {new.name}"
        if old.marks != new.marks:
            return f"Move high water of {new.name}" if old.marks.low == new.marks.low else f"Set marks of {new.name}"
        return choice_label(old.steps, new.steps, new.name) or _drives_label(before, old, new) or f"Tune {new.name}"

    def apply(self, project: Project) -> Project:
        mapping = relinked(by_id(project.mappings, self.mapping.id), self.mapping)
        return project.but(mappings=put(project.mappings, mapping))


def _drives_label(before: Project, old: Mapping, new: Mapping) -> str:
    """Name the one thing about a mapping's drives that was changed, or ''."""
    if len(old.drives) != len(new.drives):
        longer = max((old, new), key=lambda mapping: len(mapping.drives))
        other = {drive.target for drive in (new if longer is old else old).drives}
        moved = [_name(before, drive) for drive in longer.drives if drive.target not in other]
        if not moved:
            return ""
        more = f" and {len(moved) - 1} more" if len(moved) > 1 else ""
        return f"Let {new.name} move {moved[0]}{more} too" if longer is new else f"Take {moved[0]}{more} off {new.name}"
    for was, now in zip(old.drives, new.drives, strict=True):
        if was.target != now.target:
            return f"Let {new.name} move {_name(before, now)}"
        for name, words in _DRIVE_WORDS:
            if getattr(was, name) != getattr(now, name):
                return words.format(_name(before, now))
    return f"Compare {new.name}" if old.versions != new.versions else ""


_DRIVE_WORDS = (
    ("rest", "Set {} at rest"),
    ("full", "Set {} at full"),
    ("stops", "Set the colours of {}"),
    ("response", "Change the response of {}"),
    ("late_frames", "Move {} in time"),
    ("stacking", "Stack {} otherwise"),
)


def _name(project: Project, drive: Drive) -> str:
    part, item = project.scene.resolve(drive.target)
    return f"the {item.label.lower()} of {part.name}"


class AddStop(Indirect, frozen=True):
    """Let a colour drive meet one more colour on its way, between the last one and full."""

    kind: Literal["add_stop"] = "add_stop"
    id: Id
    drive: Annotated[int, Field(ge=0)] = 0

    def stands_for(self, project: Project) -> PutMapping:
        mapping = project.mapping(self.id)
        if self.drive >= len(mapping.drives):
            raise InvalidParameter("drive", value=self.drive, allowed=f"below {len(mapping.drives)}")
        drive = mapping.drives[self.drive]
        if not isinstance(drive.rest, str):
            raise FernTideError(f"{mapping.name} moves a number there.", remedy="Only colours have colours between.")
        at, colour = (drive.stops[-1].at, drive.stops[-1].colour) if drive.stops else (0.0, drive.rest)
        stop = Stop(at=(at + 1) / 2, colour=colour)
        drives = list(mapping.drives)
        drives[self.drive] = drive.but(stops=(*drive.stops, stop))
        return PutMapping(mapping=mapping.but(drives=tuple(drives)))


class MoveMapping(Command, frozen=True):
    """Move a mapping to another place in the list, which is also the stacking order."""

    kind: Literal["move_mapping"] = "move_mapping"
    id: Id
    place: Annotated[int, Field(ge=0)]

    def label(self, before: Project) -> str:
        return f"Move {before.mapping(self.id).name} in the list"

    def apply(self, project: Project) -> Project:
        mapping = project.mapping(self.id)
        rest = list(without(project.mappings, self.id))
        rest.insert(self.place, mapping)
        return project.but(mappings=tuple(rest))


class RemoveMapping(Command, frozen=True):
    """Delete a mapping."""

    kind: Literal["remove_mapping"] = "remove_mapping"
    id: Id

    def label(self, before: Project) -> str:
        return f"Delete {before.mapping(self.id).name}"

    def apply(self, project: Project) -> Project:
        project.mapping(self.id)
        return project.but(mappings=without(project.mappings, self.id))


class KeepVersion(Command, frozen=True):
    """Keep a mapping as it is now, to compare it with what it becomes; at most four."""

    kind: Literal["keep_version"] = "keep_version"
    id: Id

    def label(self, before: Project) -> str:
        return f"Keep a version of {before.mapping(self.id).name}"

    def apply(self, project: Project) -> Project:
        mapping = project.mapping(self.id)
        if any(same(mapping, item) for item in mapping.versions):
            return project
        if len(mapping.versions) >= MOST_VERSIONS:
            raise FernTideError(
                f"{mapping.name} has {MOST_VERSIONS} versions already.", remedy="Drop one that you need no more."
            )
        return project.but(mappings=put(project.mappings, with_version(mapping)))


class ShowVersion(Command, frozen=True):
    """Let a kept version of a mapping move things; what is not kept yet is kept first, where there is room."""

    kind: Literal["show_version"] = "show_version"
    id: Id
    name: Name

    def label(self, before: Project) -> str:
        return f"Show version {self.name} of {before.mapping(self.id).name}"

    def apply(self, project: Project) -> Project:
        mapping = project.mapping(self.id)
        wanted = _version_of(mapping, self.name)
        if not any(same(mapping, item) for item in mapping.versions) and len(mapping.versions) < MOST_VERSIONS:
            mapping = with_version(mapping)
        return project.but(mappings=put(project.mappings, mapping.but(**wanted.tuning)))


class DropVersion(Command, frozen=True):
    """Forget a kept version of a mapping, or all of them; what moves things stays."""

    kind: Literal["drop_version"] = "drop_version"
    id: Id
    name: Name | None = None

    def label(self, before: Project) -> str:
        name = before.mapping(self.id).name
        return f"Keep only the shown version of {name}" if self.name is None else f"Drop version {self.name} of {name}"

    def apply(self, project: Project) -> Project:
        mapping = project.mapping(self.id)
        if self.name is not None:
            _version_of(mapping, self.name)
        versions = tuple(item for item in mapping.versions if self.name is not None and item.name != self.name)
        return project.but(mappings=put(project.mappings, mapping.model_copy(update={"versions": versions})))


def same(mapping: Mapping, version: Version) -> bool:
    """Say whether a mapping moves as a kept version does."""
    return mapping.tuning == version.tuning


def with_version(mapping: Mapping) -> Mapping:
    """Give a mapping that keeps its present tuning under the first free letter."""
    taken = {item.name for item in mapping.versions}
    name = next(letter for letter in VERSION_NAMES if letter not in taken)
    version = Version(name=name, **mapping.tuning)
    return mapping.but(versions=tuple(sorted((*mapping.versions, version), key=lambda item: item.name)))


def _version_of(mapping: Mapping, name: str) -> Version:
    version = next((item for item in mapping.versions if item.name == name), None)
    if version is None:
        known = ", ".join(item.name for item in mapping.versions) or "none"
        raise UnknownName(f"{mapping.name} has no version {name:.20}.", remedy=f"It has: {known}.", name=name)
    return version


class PutRecipes(Command, frozen=True):
    """Add recipes to the project, or change those of the same ids."""

    kind: Literal["put_recipes"] = "put_recipes"
    recipes: Annotated[tuple[Recipe, ...], Field(min_length=1), Most(MOST_RECIPES)]

    def label(self, before: Project) -> str:
        more = f" and {len(self.recipes) - 1} more" if len(self.recipes) > 1 else ""
        return f"Save the recipe {self.recipes[0].name}{more}"

    def apply(self, project: Project) -> Project:
        recipes = project.recipes
        for recipe in self.recipes:
            recipes = put(recipes, recipe)
        return project.but(recipes=recipes)


class RemoveRecipe(Command, frozen=True):
    """Take a recipe out of the project; what it was applied to stays as it is."""

    kind: Literal["remove_recipe"] = "remove_recipe"
    id: Id

    def label(self, before: Project) -> str:
        return f"Remove the recipe {before.recipe(self.id).name}"

    def apply(self, project: Project) -> Project:
        project.recipe(self.id)
        return project.but(recipes=without(project.recipes, self.id))

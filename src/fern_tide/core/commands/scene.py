"""Edits of the scene: parts, what follows what, and the stage itself."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

from pydantic import Field

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.limits import MOST_MAPPINGS, Most
from fern_tide.core.base.target import Id, Name, Target
from fern_tide.core.commands.command import Command, listed
from fern_tide.core.commands.several import with_parts
from fern_tide.core.document import Project
from fern_tide.core.mapping.colour import Colour
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.follow import Follow
from fern_tide.core.scene.gathering import let_go
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.core.scene.studio_light import StudioLight


def _words(scene: Scene, target: Target) -> str:
    part, item = scene.resolve(target)
    return f"{item.label.lower()} of {part.name}"


class PutPart(Command, frozen=True):
    """Add a part behind those of the same parent, so that it is drawn over them, or change the one of the same id."""

    kind: Literal["put_part"] = "put_part"
    part: Part

    def label(self, before: Project) -> str:
        old = next((item for item in before.scene.parts if item.id == self.part.id), None)
        if old is None:
            return f"Add {self.part.name}"
        return f"Rename {old.name} to {self.part.name}" if old.name != self.part.name else f"Change {old.name}"

    def apply(self, project: Project) -> Project:
        scene = project.scene
        if any(item.id == self.part.id for item in scene.parts):
            return _changed(project, self.part)
        stays = scene.lit if self.part.kind.emits and scene.parts else scene.studio_light  # a lamp puts it not out
        return project.but(scene=scene.but(parts=(*scene.parts, self.part), studio_light=stays))


def _changed(project: Project, new: Part) -> Project:
    """Give the document with a part changed, without what moves, follows or limits properties that it loses by that.

    So an array can have another layout, whatever sizes its old one had.
    """
    lost = {item.id for item in project.scene.part(new.id).properties if not new.has(item.id)}
    if not lost:
        return with_parts(project, {new.id: new})

    def stays(target: Target) -> bool:
        return target.part != new.id or target.property not in lost

    new = new.but(values={name: value for name, value in new.values.items() if name not in lost})
    scene = project.scene.but(
        parts=tuple(new if item.id == new.id else item for item in project.scene.parts),
        follows=tuple(item for item in project.scene.follows if stays(item.target) and stays(item.source)),
        limits=tuple(item for item in project.scene.limits if stays(item.target)),
    )
    return project.but(scene=scene, mappings=_moving_only(project.mappings, stays))


def _moving_only(mappings: tuple[Mapping, ...], stays: Callable[[Target], bool]) -> tuple[Mapping, ...]:
    """Give mappings without the drives of some properties, those without any left out."""
    left = []
    for mapping in mappings:
        drives = tuple(drive for drive in mapping.drives if stays(drive.target))
        if drives:
            left.append(mapping if len(drives) == len(mapping.drives) else mapping.but(drives=drives))
    return tuple(left)


class ArrangePart(Command, frozen=True):
    """Put a part, with all inside it, before or behind its neighbours, or into another parent."""

    kind: Literal["arrange_part"] = "arrange_part"
    id: Id
    parent: Id | None
    place: Annotated[int, Field(ge=0)]

    def label(self, before: Project) -> str:
        return f"Move {before.scene.part(self.id).name} in the tree"

    def apply(self, project: Project) -> Project:
        scene = project.scene
        branch = scene.branch(self.id)
        inside = {part.id for part in branch}
        if self.parent in inside:
            raise FernTideError(f"{branch[0].name} cannot go into itself.", remedy="Choose another place.")
        moved = (branch[0].model_copy(update={"parent": self.parent}), *branch[1:])
        others = [part for part in scene.parts if part.id not in inside]
        siblings = [part for part in others if part.parent == self.parent]
        if self.place < len(siblings):
            at = others.index(siblings[self.place])
        elif siblings:
            last = siblings[-1]
            at = others.index(last) + _length(others, last)
        else:
            at = next((n + 1 for n, part in enumerate(others) if part.id == self.parent), len(others))
        return project.but(scene=scene.but(parts=(*others[:at], *moved, *others[at:])))


def _length(parts: list[Part], root: Part) -> int:
    inside = {root.id}
    for part in parts[parts.index(root) + 1 :]:
        if part.parent in inside:
            inside.add(part.id)
    return len(inside)


class RemovePart(Command, frozen=True):
    """Take a part and all inside it out; refused while it is driven or followed, unless those go too."""

    kind: Literal["remove_part"] = "remove_part"
    id: Id
    with_users: bool = False

    def label(self, before: Project) -> str:
        part = before.scene.part(self.id)
        return f"{'Let the parts go that move as' if part.kind.in_file == 'gathering' else 'Remove'} {part.name}"

    def apply(self, project: Project) -> Project:
        part = project.scene.part(self.id)
        together = part.kind.in_file == "gathering"
        gone, name = {self.id} if together else _going(project.scene, part), part.name
        whole = part.parent is None or together or part.kind.whole_file(part.shape.params)
        if not part.kind.offered and not whole:
            raise FernTideError(
                f"{name} came with its file and cannot be taken out of it.",
                remedy="Set its opacity or its scale to nothing, or remove the whole file.",
            )
        users = [m.name for m in project.mappings if any(drive.target.part in gone for drive in m.drives)]
        left = (f for f in project.scene.follows if f.source.part in gone and f.target.part not in gone)
        followers = [f"the {_words(project.scene, follow.target)}" for follow in left]
        riders = [
            item.name for item in project.scene.parts if item.ride and item.ride.way in gone and item.id not in gone
        ]
        why = f"moved by {listed(users)}" if users else f"followed by {listed(followers)}" if followers else ""
        why = why or (f"the way of {listed(riders)}" if riders else "")
        if why and not self.with_users:
            raise FernTideError(f"{name} is {why}.", remedy="Remove it with what depends on it?")
        return without_parts(project, gone)


def _going(scene: Scene, part: Part) -> set[str]:
    """List what goes with a part: all inside it but models and nodes that were put there; with a file all of it."""
    gone = {part.id}
    whole = part.file if part.kind.in_file == "file" else None

    def goes(item: Part) -> bool:
        if item.parent is None or item.parent not in gone:
            return False
        came = item.kind.space == "3d" and item.kind.in_file
        return not came or bool(scene.part(item.parent).kind.in_file)

    for item in scene.parts:
        if goes(item) or item.file == whole:
            gone.add(item.id)
    return gone


def without_parts(project: Project, gone: set[str]) -> Project:
    """Give the document without parts, and without all that moves them, follows them or limits them.

    What was put together in a part that goes, and stays itself, lies in what that lay in.
    """
    scene, left_over = project.scene, project.scene.parts
    holding = {part.parent for part in scene.parts if part.id not in gone}
    for part in reversed(scene.parts):  # what lies in another first
        if part.id in gone and part.id in holding:
            left_over = let_go(left_over, part.id)
            holding.add(part.parent)
    staying = (part for part in left_over if part.id not in gone)
    parts = tuple(part.off_its_way if part.ride and part.ride.way in gone else part for part in staying)
    files = {getattr(part.shape.params, "file", None) for part in parts}
    left = {part.id: part for part in parts}

    def stays(target: Target) -> bool:
        return target.part in left and left[target.part].has(target.property)

    rest = scene.but(
        parts=parts,
        selections=tuple(item for one in scene.selections if (item := one.within(set(left))) is not None),
        files=tuple(file for file in scene.files if file.id in files),
        follows=tuple(item for item in scene.follows if stays(item.target) and stays(item.source)),
        limits=tuple(limit for limit in scene.limits if stays(limit.target)),
    )
    mappings = tuple(mapping.without_reaches(gone) for mapping in _moving_only(project.mappings, stays))
    return project.but(scene=rest, mappings=mappings)


class PutFollow(Command, frozen=True):
    """Let a property follow another one."""

    kind: Literal["put_follow"] = "put_follow"
    follow: Follow

    def label(self, before: Project) -> str:
        target, source = (_words(before.scene, item) for item in (self.follow.target, self.follow.source))
        return f"Let the {target} follow the {source}"

    def apply(self, project: Project) -> Project:
        others = tuple(item for item in project.scene.follows if item.target != self.follow.target)
        return project.but(scene=project.scene.but(follows=(*others, self.follow)))


class RemoveFollow(Command, frozen=True):
    """Let a property follow nothing."""

    kind: Literal["remove_follow"] = "remove_follow"
    target: Target

    def label(self, before: Project) -> str:
        return f"Let the {_words(before.scene, self.target)} follow nothing"

    def apply(self, project: Project) -> Project:
        others = tuple(item for item in project.scene.follows if item.target != self.target)
        return project.but(scene=project.scene.but(follows=others))


class SetStage(Command, frozen=True):
    """Change what the stage itself is like: its size, its background, its floor, its studio light."""

    kind: Literal["set_stage"] = "set_stage"
    width: int | None = None
    height: int | None = None
    background: Colour | None = None
    floor: bool | None = None
    studio_light: StudioLight | None = None

    def label(self, before: Project) -> str:
        if self.background is not None:
            return "Change the stage's background"
        if self.studio_light is not None:
            return "Change the studio light"
        return "Change the stage's size" if self.width or self.height else "Show or hide the floor"

    def apply(self, project: Project) -> Project:
        settings = {name: value for name, value in self if name != "kind" and value is not None}
        return project.but(scene=project.scene.but(**settings))


class SetPlays(Command, frozen=True):
    """Let the animations that a file came with run, or switch them off."""

    kind: Literal["set_plays"] = "set_plays"
    file: Id
    plays: bool

    def label(self, before: Project) -> str:
        name = before.scene.file(self.file).name
        return f"{'Run' if self.plays else 'Switch off'} the animations of {name}"

    def apply(self, project: Project) -> Project:
        project.scene.file(self.file)
        plays = {"plays": self.plays}
        files = tuple(one.model_copy(update=plays) if one.id == self.file else one for one in project.scene.files)
        return project.but(scene=project.scene.but(files=files))


class PutScene(Command, frozen=True):
    """Put another scene in place, with the mappings that still have something to move."""

    kind: Literal["put_scene"] = "put_scene"
    words: Name
    scene: Scene
    mappings: Annotated[tuple[Mapping, ...], Most(MOST_MAPPINGS)]

    def label(self, before: Project) -> str:
        return self.words

    def apply(self, project: Project) -> Project:
        return project.but(scene=self.scene, mappings=self.mappings)

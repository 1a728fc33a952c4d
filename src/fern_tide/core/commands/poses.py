"""Edits of poses: stored from how parts stand, taken up by them again."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Literal

from pydantic import Field

from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.limits import Most
from fern_tide.core.base.naming import Ids
from fern_tide.core.base.target import Id, Name
from fern_tide.core.commands.command import Command, listed
from fern_tide.core.commands.field import place_now
from fern_tide.core.commands.several import with_parts
from fern_tide.core.document import Project
from fern_tide.core.scene.pose_params import MOST_POSES, Pose, PosesParams
from fern_tide.core.scene.poses import standing
from fern_tide.core.scene.scene import PART_KINDS, Part, PartChoice, Scene
from fern_tide.core.scene.selection import MOST_CHOSEN


def _params(part: Part) -> PosesParams:
    params = part.shape.params
    if not isinstance(params, PosesParams):
        raise InvalidParameter("poses", value=part.name, allowed="a part that has poses")
    return params


def _pose(part: Part, place: int) -> Pose:
    poses = _params(part).poses
    if place >= len(poses):
        raise FernTideError(f"{part.name} has no pose {place + 1}.", remedy="It may have been removed.")
    return poses[place]


def _with(part: Part, poses: tuple[Pose, ...], *, posing: bool) -> Part:
    return part.but(shape=part.shape.but(params=_params(part).but(poses=poses, posing=posing)))


class StorePose(Command, frozen=True):
    """Store how parts stand, at their own values and with all inside them, as a pose.

    Attributes:
        parts: those that stand so; none are those of the poses before.
        into: the part whose poses it joins; None begins a new row.
        name: what it is called; None counts on.
    """

    kind: Literal["store_pose"] = "store_pose"
    parts: Annotated[tuple[Id, ...], Most(MOST_CHOSEN)] = ()
    into: Id | None = None
    name: Name | None = None

    def label(self, before: Project) -> str:
        if self.into is not None:
            return f"Store a pose in {before.scene.part(self.into).name}"
        first = before.scene.part(self.parts[0]).name if self.parts else ""
        return f"Store a pose of {first if len(self.parts) == 1 else f'{len(self.parts)} parts'}"

    def apply(self, project: Project) -> Project:
        scene = project.scene
        row = self._new(scene) if self.into is None else scene.part(self.into)
        poses = _params(row).poses
        parts = self.parts or tuple(dict.fromkeys(name for pose in poses for name in pose.values))
        there = {part.id for part in scene.parts} - {row.id}
        values = standing(scene, [name for name in parts if name in there])
        if not values:
            raise FernTideError("Nothing of that stands in any way.", remedy="Choose parts that have properties.")
        if len(poses) >= MOST_POSES:
            raise FernTideError(f"{row.name} has {MOST_POSES} poses.", remedy="Remove one, or begin another row.")
        row = _with(row, (*poses, Pose(name=self.name or f"Pose {len(poses) + 1}", values=values)), posing=False)
        if self.into is None:
            return project.but(scene=scene.but(parts=(*scene.parts, row)))
        return with_parts(project, {row.id: row})

    def _new(self, scene: Scene) -> Part:
        if not self.parts:
            raise FernTideError("There is nothing to store.", remedy="Choose parts first.")
        first = scene.part(self.parts[0]).name
        name = f"Poses of {first if len(self.parts) == 1 else listed([first, 'others'])}"[:120]
        kind = next(k for k in PART_KINDS.values() if k.params is PosesParams and k.space == scene.kind)
        return Part(id=Ids(part.id for part in scene.parts).make(name), name=name, shape=PartChoice(id=kind.id))


class _OfPose(Command, frozen=True):
    """An edit of one of a row's poses.

    Attributes:
        id: the row.
        place: which pose, from 0.
        seen: the revision in which that was its place; None is the one that is edited.
    """

    id: Id
    place: Annotated[int, Field(ge=0, lt=MOST_POSES)]
    seen: int | None = None

    def as_seen(self, seen: Callable[[int], Project], now: Project) -> Command:
        if self.seen is None:
            return self
        was, poses = (_params(project.scene.part(self.id)).poses for project in (seen(self.seen), now))
        return self.but(place=place_now(was, self.place, poses), seen=None)


class UpdatePose(_OfPose, frozen=True):
    """Store how a pose's parts stand now in its place."""

    kind: Literal["update_pose"] = "update_pose"

    def label(self, before: Project) -> str:
        return f"Update {_pose(before.scene.part(self.id), self.place).name}"

    def apply(self, project: Project) -> Project:
        row = project.scene.part(self.id)
        pose, poses = _pose(row, self.place), _params(row).poses
        there = {part.id for part in project.scene.parts}
        values = standing(project.scene, [name for name in pose.values if name in there])
        new = pose.but(values={name: value for name, value in values.items() if name in pose.values})
        poses = (*poses[: self.place], new, *poses[self.place + 1 :])
        return with_parts(project, {row.id: _with(row, poses, posing=_params(row).posing)})


class TakePose(_OfPose, frozen=True):
    """Let a pose's parts stand as it says, by their own values, so that they can be posed by hand from there."""

    kind: Literal["take_pose"] = "take_pose"

    def label(self, before: Project) -> str:
        return f"Stand as in {_pose(before.scene.part(self.id), self.place).name}"

    def apply(self, project: Project) -> Project:
        row = project.scene.part(self.id)
        posed = {part.id: part for part in posed_parts(project.scene, row, self.place)}
        return with_parts(project, {**posed, row.id: _with(row, _params(row).poses, posing=True)})


def posed_parts(scene: Scene, row: Part, place: int) -> list[Part]:
    """Give the parts of a pose with its values as their own; what it says of properties that are gone is left out.

    Args:
        scene: whose parts.
        row: the part that has the poses.
        place: which pose, from 0.

    Raises:
        FernTideError: there is no such pose.
    """
    values, parts = _pose(row, place).values, []
    for part in scene.parts:
        if part.id in values and part.id != row.id:
            own = {name: value for name, value in values[part.id].items() if part.has(name)}
            default = {name for name, value in own.items() if value == part.property(name).default}
            kept_values = {name: value for name, value in {**part.values, **own}.items() if name not in default}
            parts.append(part.but(values=kept_values))
    return parts

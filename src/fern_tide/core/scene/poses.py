"""Poses: how parts stand, and what lies between two of them.

Places, scales and other numbers go straight from one pose to the next, colours through OKLab, and turns in space on
the shorter way (slerp). A row of n poses has n - 1 equal stretches (SIGNAL.md, 'Many pieces').
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.colour import mix_all, parse_colour
from fern_tide.core.scene.arrays.inside import PREFIX
from fern_tide.core.scene.pose_params import BLEND, PosesParams, PoseValues
from fern_tide.core.scene.rotation import matrices, quaternions, slerped, steady_turns

if TYPE_CHECKING:
    from fern_tide.core.scene.scene import Part, Scene

_TURNS = ("turn_x", "turn_y", "turn_z")
_DIGITS = 9


@dataclass(frozen=True)
class PoseGround:
    """The ground of a property that is posed.

    Attributes:
        part: that has the poses.
        poses: the property's value in each pose; of a turn in space all three turns.
        row: which of the three turns it is.
    """

    part: Part
    poses: tuple[float, ...] | tuple[str, ...] | tuple[tuple[float, ...], ...]
    row: int = 0

    @property
    def kind(self) -> str:
        """Poses."""
        return "poses"

    @property
    def sources(self) -> tuple[Target, ...]:
        """How far it is from the first pose to the last."""
        return (Target(part=self.part.id, property=BLEND),)

    @property
    def words(self) -> str:
        """Say whose poses they are."""
        return f"is posed by {self.part.name}"

    @property
    def counts_own(self) -> bool:
        """It does not: what a pose leaves open is among its facts."""
        return False

    @property
    def facts(self) -> Any:
        """The poses' values."""
        return [self.row, list(self.poses)]

    @property
    def made_of(self) -> tuple[object, ...]:
        """The part that has the poses."""
        return (self.part, self.poses)

    def values(self, sources: Sequence[FloatArray], *, own: float | str) -> FloatArray:
        """Give what lies between the poses."""
        place = np.clip(sources[0], 0.0, 1.0) * (len(self.poses) - 1)
        first = self.poses[0]
        if isinstance(first, (int, float)):
            numbers = np.asarray(self.poses, dtype=np.float64)
            return np.asarray(np.round(np.interp(place, np.arange(len(numbers)), numbers), _DIGITS))
        at = np.minimum(place.astype(np.int64), len(self.poses) - 2)
        if isinstance(first, str):
            colours = np.stack([parse_colour(str(pose)) for pose in self.poses], axis=1)
            return mix_all(colours[:, at], colours[:, at + 1], share=place - at)
        turned = quaternions(np.array(self.poses, dtype=np.float64).T)
        between = slerped((turned[:, at], turned[:, at + 1]), place - at)
        return np.asarray(
            np.round(steady_turns(matrices(between / np.linalg.norm(between, axis=0)))[self.row], _DIGITS)
        )


def standing(scene: Scene, part_ids: Iterable[str]) -> PoseValues:
    """Give how parts, with all inside them, stand at their own values: what neither follows nor rides a way.

    Args:
        scene: whose.
        part_ids: the parts.
    """
    given = {target for target, ground in scene.grounds.items() if ground.kind != "poses"}

    def is_free(part: Part, name: str) -> bool:
        return Target(part=part.id, property=name) not in given and not (part.kind.pieces and name.startswith(PREFIX))

    parts = {part.id: part for name in part_ids for part in scene.branch(name)}
    values: PoseValues = {}
    for part in parts.values():
        own = {item.id: part.own(item.id) for item in part.properties if is_free(part, item.id)}
        if own and not isinstance(part.shape.params, PosesParams):
            values[part.id] = own
    return values


def grounds_of_poses(scene: Scene, taken: Collection[Target]) -> Iterable[tuple[Target, PoseGround]]:
    """List the properties that poses give, and their grounds: those in which two poses of a row differ.

    Args:
        scene: whose.
        taken: properties that something else gives already.
    """
    known = {part.id: part for part in scene.parts}
    for part in scene.parts:
        params = part.shape.params
        if isinstance(params, PosesParams) and len(params.poses) > 1 and not params.posing:
            for name in dict.fromkeys(name for pose in params.poses for name in pose.values):
                if name in known and name != part.id:
                    yield from _posed(part, known[name], [pose.values.get(name, {}) for pose in params.poses], taken)


def _posed(
    poses: Part, part: Part, values: list[Mapping[str, Any]], taken: Collection[Target]
) -> Iterable[tuple[Target, PoseGround]]:
    row = {
        item.id: [pose.get(item.id, part.own(item.id)) for pose in values]
        for item in part.properties
        if any(item.id in pose for pose in values) and Target(part=part.id, property=item.id) not in taken
    }
    moving = [name for name, stands in row.items() if any(one != stands[0] for one in stands)]
    if part.kind.space == "3d" and any(name in _TURNS for name in moving) and all(name in row for name in _TURNS):
        moving = [name for name in row if name in moving or name in _TURNS]
        turns = tuple(zip(*(row[name] for name in _TURNS), strict=True))
    for name in moving:
        target = Target(part=part.id, property=name)
        if part.kind.space == "3d" and name in _TURNS and all(turn in row for turn in _TURNS):
            yield target, PoseGround(poses, turns, _TURNS.index(name))
        elif len({isinstance(value, str) for value in row[name]}) == 1:
            yield target, PoseGround(poses, tuple(row[name]))

"""Poses: how parts stand, and what lies between two of them.

Places, scales and other numbers go straight from one pose to the next, colours through OKLab, and turns in space on
the shorter way (slerp). A row of n poses has n - 1 equal stretches (SIGNAL.md, 'Many pieces').
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import TYPE_CHECKING, Any

import numpy as np

from fern_tide.core.base.signal import FloatArray, frozen
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.colour import mix_all, parse_colour
from fern_tide.core.scene.arrays.inside import PREFIX
from fern_tide.core.scene.pose_params import BLEND, PosesParams, PoseValues
from fern_tide.core.scene.rotation import matrices, quaternions, slerped, steady_turns

if TYPE_CHECKING:
    from fern_tide.core.scene.scene import Part, Scene

_TURNS = ("turn_x", "turn_y", "turn_z")
_SIZES = ("scale_x", "scale_y", "scale_z")
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

    @cached_property
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
    def late_frames(self) -> int:
        """It is never late."""
        return 0

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
        return np.asarray(_turns(self.poses, place.tobytes())[self.row])


@lru_cache(maxsize=4)
def _turns(poses: tuple[tuple[float, ...], ...], place: bytes) -> FloatArray:
    """Give all three turns between poses, shape (3, frames): each of them is asked for by itself.

    Args:
        poses: their turns, in degrees.
        place: from the first pose, 0, to the last, in poses; float64 of each frame.
    """
    places, turned = np.frombuffer(place), quaternions(np.array(poses, dtype=np.float64).T)
    at = np.minimum(places.astype(np.int64), len(poses) - 2)
    between = slerped((turned[:, at], turned[:, at + 1]), places - at)
    return frozen(np.round(steady_turns(matrices(between / np.linalg.norm(between, axis=0))), _DIGITS))


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
    names = {name for pose in values for name in pose}
    if part.kind.space == "3d" and names & {*_TURNS, *_SIZES}:
        names |= {*_TURNS, *"xyz"}  # these go together
    row = {
        item.id: [pose.get(item.id, part.own(item.id)) for pose in values]
        for item in part.properties
        if item.id in names and Target(part=part.id, property=item.id) not in taken
    }
    turns: tuple[tuple[float, ...], ...] = ()
    if part.kind.space == "3d" and all(name in row for name in _TURNS):
        turns = tuple(zip(*(row[name] for name in _TURNS), strict=True))
    if part.kind.space == "3d" and any(_differ(row.get(name, ())) for name in (*_TURNS, *_SIZES)):
        row |= _places(poses, part, row, turns=turns)
    for name, stands in row.items():
        target = Target(part=part.id, property=name)
        if turns and name in _TURNS:
            if _differ(turns):
                yield target, PoseGround(poses, turns, _TURNS.index(name))
        elif _differ(stands) and len({isinstance(value, str) for value in stands}) == 1:
            yield target, PoseGround(poses, tuple(stands))


def _differ(stands: Sequence[object]) -> bool:
    return any(one != stands[0] for one in stands)


def _places(
    poses: Part, part: Part, row: Mapping[str, list[Any]], *, turns: tuple[tuple[float, ...], ...]
) -> dict[str, list[float]]:
    """Give the places of a part in space so that its anchor goes straight from where one pose has it to the next.

    What turns or scales a part from how it stands at rest keeps its anchor where it is (see part.Anchor): that much
    is added here. Nothing where something else gives a part of its place or turn.
    """
    anchor = np.array([[part.anchor.x], [part.anchor.y], [part.anchor.z]])
    if not anchor.any() or not all(axis in row for axis in "xyz") or not turns:
        return {}
    n, blend = len(turns), [np.array([float(poses.own(BLEND))])]
    sizes = np.array([row.get(name, [part.own(name)] * n) for name in _SIZES], dtype=np.float64)
    turned = np.array(turns, dtype=np.float64).T
    rest_turn = np.array([PoseGround(poses, turns, place).values(blend, own=0.0) for place in range(3)])
    rest_size = np.array([PoseGround(poses, tuple(size)).values(blend, own=0.0) for size in sizes.tolist()])

    def origin_to_anchor(turned: FloatArray, sizes: FloatArray) -> FloatArray:
        return np.asarray(np.einsum("ijn,jn->in", matrices(quaternions(turned)), sizes * anchor))

    places = np.array([row[axis] for axis in "xyz"], dtype=np.float64)
    places += origin_to_anchor(turned, sizes) - origin_to_anchor(rest_turn, rest_size)
    return dict(zip("xyz", np.round(places, _DIGITS).tolist(), strict=True))

"""The courses of parts that move along ways: where each is, and how it is turned."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import TYPE_CHECKING, Any

import numpy as np

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.signal import FloatArray, frozen
from fern_tide.core.base.target import Target
from fern_tide.core.scene.placement import above, is_drawing, own_turn, placement, within
from fern_tide.core.scene.ride import ALONG, BESIDE, Ride
from fern_tide.core.scene.rotation import steady_turns
from fern_tide.core.scene.svg.outline import shape_curves
from fern_tide.core.scene.way import Way, of_curves

if TYPE_CHECKING:
    from fern_tide.core.scene.scene import Part, Scene

_DIGITS = 9  # what stands still is still to the last bit, and needs no keys
_SIZES = ("scale_x", "scale_y", "scale_z")
_FLAT, _SPACE = ("x", "y", "turn"), ("x", "y", "z", "turn_x", "turn_y", "turn_z")


def way_curves(part: Part) -> FloatArray | None:
    """Give the way that a part is, in its own px or metres, shape (curves, 4, 3); None of a part that is none."""
    kind, params = part.kind, part.shape.params
    if kind.way is not None:
        return kind.way(params)
    if kind.space == "3d" or kind.draw is None or kind.in_file or not kind.offered:
        return None
    element = kind.draw(params, part.id)
    curves = shape_curves(element.tag, element.attributes)
    return curves if len(curves) else None


@dataclass(frozen=True)
class Course:
    """A part and its way, as the part's own place counts.

    Attributes:
        part: which moves.
        ride: how.
        way: the part that is the way.
        shared: what both lie in at last; None for the stage itself.
        between: what only the way lies in, and what only the part lies in, the outermost first.
    """

    part: Part
    ride: Ride
    way: Part
    shared: Part | None
    between: tuple[tuple[Part, ...], tuple[Part, ...]]

    @cached_property
    def matrix(self) -> FloatArray:
        """From what the way lies in to what the part lies in, shape (4, 4)."""
        outer, inner = (
            within(self.shared, chain, leaf) for chain, leaf in zip(self.between, (self.way, self.part), strict=True)
        )
        return np.asarray(np.linalg.inv(inner) @ outer)

    @cached_property
    def curves(self) -> FloatArray:
        """The way in what the part lies in, shape (curves, 4, 3)."""
        own = way_curves(self.way)
        assert own is not None, "a course has a way"
        matrix = self.matrix @ placement(self.way)
        return np.asarray(own @ matrix[:3, :3].T + matrix[:3, 3])

    @cached_property
    def line(self) -> Way | None:
        """The same as a way; None where it has no length."""
        return _line(self.curves.tobytes())

    def values(self, along: FloatArray, beside: FloatArray) -> FloatArray:
        """Give the part's place and turns, shape (3 or 6, frames): x, y and turn, or x, y, z and three turns.

        Args:
            along: where on the way, shape (frames,).
            beside: how far to the right of it.
        """
        for asked, values in tuple(self._last):  # each of its numbers is asked for by itself
            if np.array_equal(asked[0], along) and np.array_equal(asked[1], beside):
                return values
        flat = self.part.kind.space == "2d"
        values = frozen(np.round(self._flat(along, beside) if flat else self._in_space(along, beside), _DIGITS))
        self._last[:] = [(np.array([along, beside]), values)]
        return values

    @cached_property
    def _last(self) -> list[tuple[FloatArray, FloatArray]]:
        """What was asked for last, and what came of it."""
        return []

    def _line_at(self, along: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Give shares, points and tangents; of a way without length, its one point."""
        share = self.ride.share(along)
        if self.line is None:
            n = len(share)
            return share, np.tile(self.curves[0, :1].T, (1, n)), np.tile([[1.0], [0.0], [0.0]], (1, n))
        return share, self.line.points(share), self.line.tangents(share)

    def _flat(self, along: FloatArray, beside: FloatArray) -> FloatArray:
        _, points, tangents = self._line_at(along)
        anchor, own = self.part.anchor, float(self.part.own("turn"))
        x = points[0] - tangents[1] * beside - anchor.x
        y = points[1] + tangents[0] * beside - anchor.y
        heading = np.degrees(np.unwrap(np.arctan2(tangents[1], tangents[0])))
        return np.stack([x, y, own + heading if self.ride.faces else np.full_like(x, own)])

    def _in_space(self, along: FloatArray, beside: FloatArray) -> FloatArray:
        """Give places and turns; a place is that of the part's origin while it is turned as it is at rest.

        What turns it from there keeps its anchor where it is (see part.Anchor), which so stays on the way.
        """
        points, turned = self._facing(along, beside)
        return np.concatenate([points - self._origin[:, np.newaxis], steady_turns(turned)])

    @cached_property
    def _origin(self) -> FloatArray:
        """Where the anchor is from the part's origin while the part is turned as it is at rest, shape (3,)."""
        rest = self._facing(np.array([float(self.part.own(ALONG))]), np.zeros(1))[1][..., 0]
        anchor, sizes = self.part.anchor, [float(self.part.own(f"scale_{axis}")) for axis in "xyz"]
        return np.asarray(rest @ (np.array([anchor.x, anchor.y, anchor.z]) * sizes))

    def _facing(self, along: FloatArray, beside: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Give where the anchor is, shape (3, frames), and how the part is turned there, shape (3, 3, frames)."""
        share, points, tangents = self._line_at(along)
        ups = np.tile([[0.0], [1.0], [0.0]], (1, len(share)))
        if self.line is not None:
            ups = self.line.ups(share, tangents)
        right = np.cross(tangents, ups, axis=0)
        if self.ride.leans and self.line is not None:
            inward = np.sum(self.line.bends(share) * right, axis=0) * self.line.length / (2 * np.pi)
            angle = np.radians(self.ride.leans) * np.clip(inward, -1.0, 1.0)
            ups = ups * np.cos(angle) + right * np.sin(angle)
        own = own_turn(self.part)
        turned = np.tile(own[..., np.newaxis], (1, 1, len(share)))
        if self.ride.faces:
            ahead = np.stack([np.cross(ups, tangents, axis=0), ups, tangents], axis=1)
            turned = np.einsum("ijn,jk->ikn", ahead, own)
        return points + right * beside, turned


@lru_cache(maxsize=64)
def _line(curves: bytes) -> Way | None:
    """Give the way along curves, with what is worked out of it once: other edits of the scene leave it as it is."""
    return of_curves(np.frombuffer(curves, dtype=np.float64).reshape(-1, 4, 3))


@dataclass(frozen=True)
class RideGround:
    """The ground of one number of a part's place or turn, where the part moves along a way.

    Attributes:
        course: the part and its way.
        row: which number, of those that the course gives.
    """

    course: Course
    row: int

    @property
    def kind(self) -> str:
        """A ride."""
        return "ride"

    @cached_property
    def sources(self) -> tuple[Target, ...]:
        """Where on the way, and how far beside it."""
        part = self.course.part.id
        return (Target(part=part, property=ALONG), Target(part=part, property=BESIDE))

    @property
    def words(self) -> str:
        """Say along what it moves."""
        return f"moves along {self.course.way.name}"

    @property
    def counts_own(self) -> bool:
        """It starts from the part's own turn, which is among its facts."""
        return False

    @property
    def facts(self) -> Any:
        """The ride, the part's own turn, anchor and size, and the way with all that it is seen through."""
        course = self.course
        whose = [course.way, *course.between[0], *course.between[1], *([course.shared] if course.shared else [])]
        about = [part.model_dump(mode="json", include={"shape", "values", "anchor"}) for part in whose]
        own = course.part.model_dump(mode="json", include={"values", "anchor"})
        return [self.row, course.ride.model_dump(mode="json", exclude={"way"}), own, about]

    @property
    def late_frames(self) -> int:
        """It is never late."""
        return 0

    @property
    def made_of(self) -> tuple[object, ...]:
        """The part, its way, and what lies between."""
        course = self.course
        return (course.part, course.way, course.shared, *course.between[0], *course.between[1])

    def values(self, sources: Sequence[FloatArray], *, own: float | str) -> FloatArray:
        """Move along the way."""
        return np.asarray(self.course.values(sources[0], sources[1])[self.row])


def course_of(scene: Scene, part: Part, ride: Ride) -> Course:
    """Give a part's course.

    Raises:
        InvalidParameter: there is no such way, or the part cannot move along it.
    """

    def refuse(value: str, allowed: str) -> InvalidParameter:
        return InvalidParameter(f"the way of {part.name}", value=value, allowed=allowed)

    way = next((item for item in scene.parts if item.id == ride.way), None)
    if way is None:
        raise refuse(ride.way, "a part of the scene")
    if not part.has("x"):
        raise refuse(way.name, "a way only of what has a place")
    inside = [item.id for item in (*above(scene, way), way)]
    if part.id in inside:
        raise refuse(way.name, "a way that does not move with it")
    if way_curves(way) is None:
        raise refuse(way.name, "a way, or a shape with an outline")
    one, other = above(scene, way), above(scene, part)
    shared = next((n for n, (a, b) in enumerate(zip(one, other, strict=False)) if a.id != b.id), None)
    shared = min(len(one), len(other)) if shared is None else shared
    between = (tuple(one[shared:]), tuple(other[shared:]))
    if any(item.kind.pieces for item in between[0]):
        raise refuse(way.name, "a way that lies in no array")
    both = one[shared - 1] if shared else None
    chain = [*one[max(0, shared - 1) :], *other[max(0, shared - 1) :]]
    if any(is_drawing(item) and len(getattr(item.shape.params, "view", ())) != 4 for item in chain):
        raise refuse(way.name, "a way for parts of a drawing that is brought in anew")
    sizes = [float(item.own(name)) for item in between[1] for name in _SIZES if item.has(name)]
    if 0.0 in sizes:
        raise refuse(way.name, "a way only of what lies in something that has a size")
    return Course(part, ride, way, both, between)


def grounds_of_rides(scene: Scene) -> Iterable[tuple[Target, RideGround]]:
    """List the properties that rides give, and their grounds.

    Raises:
        InvalidParameter: a ride is not possible.
    """
    for part in scene.parts:
        if part.ride is not None:
            course = course_of(scene, part, part.ride)
            for row, name in enumerate(_FLAT if part.kind.space == "2d" else _SPACE):
                yield Target(part=part.id, property=name), RideGround(course, row)

"""Ways for parts to move along."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.naming import Ids
from fern_tide.core.commands.field import Owner, SetField
from fern_tide.core.commands.registry import Together
from fern_tide.core.commands.scene import PutPart
from fern_tide.core.scene.course import course_of
from fern_tide.core.scene.placement import anchored
from fern_tide.core.scene.ride import Ride
from fern_tide.core.scene.scene import PART_KINDS, Part, Scene
from fern_tide.core.scene.way_params import WayParams, WayPoint
from fern_tide.workflows.tune.make_part import new_part


def new_way_of(scene: Scene, part_id: str) -> tuple[Together, str]:
    """Make a way that begins where a part stands, and let the part move along it.

    Args:
        scene: whose.
        part_id: the part; one of a file moves along a way beside the file.

    Returns:
        The edit, and the way's id.

    Raises:
        InvalidParameter: the part has no place.
    """
    part = scene.part(part_id)
    if not part.has("x"):
        raise InvalidParameter("part", value=part.name, allowed="a part that has a place")
    kind = next(kind for kind in PART_KINDS.values() if kind.way is not None and kind.space == scene.kind)
    parent = part
    while parent.kind.in_file and parent.parent is not None:
        parent = scene.part(parent.parent)
    name = f"Way of {part.name}"[:120]
    way_id = Ids(item.id for item in scene.parts).make(name)
    way = new_part(scene, kind.id).part.but(id=way_id, name=name, parent=parent.parent)
    ride = Ride(way=way.id)
    course = course_of(scene.but(parts=(*scene.parts, way)), part, ride)
    begin = np.linalg.inv(course.matrix) @ [*anchored(part), 1.0]
    way = way.but(shape=way.shape.but(params=_moved(way, begin[:3])))
    ride_of = SetField(owner=Owner.PART, id=part.id, path="ride", value=ride.model_dump(mode="json"))
    return Together(words=f"Let {part.name} move along a way"[:120], commands=(PutPart(part=way), ride_of)), way.id


def _moved(way: Part, begin: np.ndarray) -> WayParams:
    """Give a way's points so that the first lies where it should."""
    params = way.shape.params
    assert isinstance(params, WayParams)
    first = params.points[0]
    by = begin - (first.x, first.y, first.z)
    moved = (
        WayPoint(x=_short(item.x + by[0]), y=_short(item.y + by[1]), z=_short(item.z + by[2])) for item in params.points
    )
    return params.but(points=tuple(moved))


def _short(number: float) -> float:
    return round(float(number), 4)

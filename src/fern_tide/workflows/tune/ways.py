"""Ways for parts to move along."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.naming import Ids
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.commands.field import Owner, SetField
from fern_tide.core.commands.registry import Together
from fern_tide.core.commands.scene import PutPart
from fern_tide.core.scene.course import course_of
from fern_tide.core.scene.gltf.played import places_of, translation_sampler
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.placement import above, anchored, in_scene, is_drawing
from fern_tide.core.scene.ride import Ride
from fern_tide.core.scene.scene import PART_KINDS, Part, PartChoice, Scene
from fern_tide.core.scene.svg.outline import path_data, shape_curves
from fern_tide.core.scene.way_params import MOST_POINTS, WayParams, WayPoint
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
    outermost = next((item for item in (*above(scene, part), part) if item.kind.in_file), part)
    name = f"Way of {part.name}"[:120]
    way_id = Ids(item.id for item in scene.parts).make(name)
    way = new_part(scene, kind.id).part.but(id=way_id, name=name, parent=outermost.parent)
    ride = Ride(way=way.id)
    course = course_of(scene.but(parts=(*scene.parts, way)), part, ride)
    begin = np.linalg.inv(course.matrix) @ [*anchored(part), 1.0]
    way = way.but(shape=way.shape.but(params=_moved(way, begin[:3])))
    ride_of = SetField(owner=Owner.PART, id=part.id, path="ride", value=ride.model_dump(mode="json"))
    return Together(words=f"Let {part.name} move along a way"[:120], commands=(PutPart(part=way), ride_of)), way.id


def way_from(scene: Scene, media: SceneMedia, part_id: str) -> tuple[PutPart, str]:
    """Make a way of the outline of an element of a drawing, or of where its file moves a node, beside the file.

    Args:
        scene: whose.
        media: what its parts were brought in with.
        part_id: the element or node; a way is where its outline stands at rest, or what it lies in.

    Returns:
        The edit, and the way's id.

    Raises:
        InvalidParameter: it has no outline, or is not moved; or its drawing must be brought in anew.
    """
    part, rest = scene.part(part_id), scene.at_rest
    file = next((item for item in above(rest, part) if item.kind.in_file), part)
    inside = in_scene(rest, rest.part(part_id if part.kind.space == "2d" else part.parent or part_id))
    beside = np.eye(4) if file.parent is None else in_scene(rest, rest.part(file.parent))
    make = _of_outline if part.kind.space == "2d" else _of_motion
    shape = make(scene, media, part, np.linalg.pinv(beside) @ inside)
    name = f"Way of {part.name}"[:120]
    way_id = Ids(item.id for item in scene.parts).make(name)
    return PutPart(part=Part(id=way_id, name=name, parent=file.parent, shape=shape)), way_id


def _of_outline(scene: Scene, media: SceneMedia, part: Part, matrix: FloatArray) -> PartChoice:
    drawing = next((item for item in above(scene, part) if is_drawing(item)), None)
    if drawing is None or part.kind.in_file != "element":
        raise InvalidParameter("a way from", value=part.name, allowed="an element of a drawing")
    sheet = media.sheets[scene.file(part.file).media]
    node = sheet.drawing.nodes[part.file_index]
    curves = shape_curves(node.tag, sheet.attributes[part.file_index])
    if not len(curves):
        raise InvalidParameter("a way from", value=part.name, allowed="an element with an outline, such as a path")
    if len(getattr(drawing.shape.params, "view", ())) != 4:
        raise InvalidParameter("a way from", value=part.name, allowed="a part of a drawing that is brought in anew")
    data = path_data(curves @ matrix[:3, :3].T + matrix[:3, 3])
    return PartChoice.model_validate({"id": "way", "params": {"data": data}})


def _of_motion(scene: Scene, media: SceneMedia, part: Part, matrix: FloatArray) -> PartChoice:
    gltf = media.gltfs.get(scene.file(part.file).media) if part.kind.in_file == "node" else None
    if gltf is None or translation_sampler(gltf.json, part.file_index) is None:
        raise InvalidParameter("a way from", value=part.name, allowed="a node that its file moves from place to place")
    places, smooth = places_of(gltf, part.file_index)
    if not len(places):
        raise InvalidParameter("a way from", value=part.name, allowed="a node whose animation is whole and not packed")
    if len(places) < 2:
        places = np.repeat(places, 2, axis=0)
    some = np.unique(np.round(np.linspace(0, len(places) - 1, min(len(places), MOST_POINTS))).astype(int))
    points = places[some] @ matrix[:3, :3].T + matrix[:3, 3]
    listed = [dict(zip("xyz", map(_short, point), strict=True)) for point in points.tolist()]
    return PartChoice.model_validate({"id": "way_3d", "params": {"points": listed, "smooth": smooth}})


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

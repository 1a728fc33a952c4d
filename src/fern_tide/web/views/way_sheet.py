"""What the Stage shows of a way, and of a part that moves along one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from fern_tide.core.base.params import FieldSpec, fields
from fern_tide.core.commands.field import AddEntry, Owner
from fern_tide.core.scene.course import way_curves
from fern_tide.core.scene.gltf.played import translation_sampler
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.placement import in_scene
from fern_tide.core.scene.ride import Ends, Ride
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.core.scene.svg.outline import OUTLINED
from fern_tide.core.scene.way import of_curves
from fern_tide.core.scene.way_params import WayParams, WayPoint

_LISTED = 40
_DRAWN = 400
_MOST_CHOICES = 200


@dataclass(frozen=True)
class WaySheet:
    """What is shown of a way.

    Attributes:
        part: the way.
        points: those that are listed: the first of many; none of one that was taken from an outline.
        n_points: how many there are.
        axes: the names of their numbers.
        unit: what those are counted in.
        switches: the fields of what lies between points.
        more: the edit that adds a point after the last.
        length: how long it is.
    """

    part: Part
    points: Sequence[WayPoint]
    n_points: int
    axes: Sequence[str]
    unit: str
    switches: Sequence[FieldSpec]
    more: dict[str, Any]
    length: float


@dataclass(frozen=True)
class RideSheet:
    """What is shown of how a part moves along a way.

    Attributes:
        ride: as it is; None where it moves along none.
        choices: id and name of each part that could be its way.
        ends: what can happen beyond an end.
        leaning: whether it can lean.
        outlined: whether a way can be made of its outline, or of where its file moves it.
    """

    ride: Ride | None
    choices: Sequence[tuple[str, str]]
    ends: Sequence[Ends]
    leaning: bool
    outlined: bool


def way_sheet(part: Part) -> WaySheet | None:
    """Give the sheet of a way; None for any other part."""
    params = part.shape.params
    if not isinstance(params, WayParams):
        return None
    points = () if params.data else params.points
    last, before = params.points[-1], params.points[-2]
    new = WayPoint(x=2 * last.x - before.x, y=2 * last.y - before.y, z=2 * last.z - before.z).model_dump(mode="json")
    curves = way_curves(part)
    way = None if curves is None else of_curves(curves)
    return WaySheet(
        part=part,
        points=points[:_LISTED],
        n_points=len(points),
        axes="xy" if part.kind.space == "2d" else "xyz",
        unit="px" if part.kind.space == "2d" else "m",
        switches=[field for field in fields(WayParams) if field.kind == "switch"],
        more=AddEntry(owner=Owner.PART, id=part.id, path="shape.params.points", value=new).model_dump(mode="json"),
        length=0.0 if way is None else way.length,
    )


def ride_sheet(scene: Scene, part: Part, *, media: SceneMedia) -> RideSheet | None:
    """Give the sheet of a part that could move along a way; None of one without a place.

    Args:
        scene: whose.
        part: the part.
        media: what the scene's parts were brought in with.
    """
    if not part.has("x"):
        return None
    inside = {item.id for item in scene.branch(part.id)}
    chosen = part.ride.way if part.ride else None
    ways = [item for item in scene.parts if item.id not in inside and (item.id == chosen or _is_way(item))]
    choices = [(item.id, item.name) for item in ways[:_MOST_CHOICES]]
    return RideSheet(
        part.ride, choices, list(Ends), leaning=scene.kind == "3d", outlined=_gives_a_way(scene, part, media)
    )


def _gives_a_way(scene: Scene, part: Part, media: SceneMedia) -> bool:
    """Say whether an element has an outline, or a node is moved by its file."""
    if part.kind.in_file == "node":
        gltf = media.gltfs.get(scene.file(part.file).media)
        return gltf is not None and translation_sampler(gltf.json, part.file_index) is not None
    return part.kind.in_file == "element" and getattr(part.shape.params, "tag", "") in OUTLINED


def _is_way(part: Part) -> bool:
    return way_curves(part) is not None


def way_head(scene: Scene, part: Part) -> dict[str, Any] | None:
    """Give what the page needs to draw a part's way, or the way that a part is; None where there is none.

    Returns:
        'line', points along it in scene coordinates; for one that has points of its own also 'points', 'smooth',
        'closed', and 'to_scene' and 'to_own', matrices row by row.
    """
    way = scene.part(part.ride.way) if part.ride else part
    curves = way_curves(way) if part.ride or part.kind.way is not None else None
    if curves is None:
        return None
    line, matrix = of_curves(curves), in_scene(scene, way)
    points = curves[:1, 0].T if line is None else line.points(np.linspace(0.0, 1.0, _DRAWN))
    shown = (matrix[:3, :3] @ points + matrix[:3, 3:]).T
    head: dict[str, Any] = {"id": way.id, "line": np.round(shown, 4).tolist()}
    params = way.shape.params
    if isinstance(params, WayParams) and not params.data:
        head |= params.model_dump(mode="json")
        head |= {"to_scene": matrix.ravel().tolist(), "to_own": np.linalg.pinv(matrix).ravel().tolist()}
    return head

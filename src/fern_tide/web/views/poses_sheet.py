"""What the Stage shows of poses, and of a part that could be posed."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Sequence
from dataclasses import dataclass

from fern_tide.core.commands.poses import posed_parts
from fern_tide.core.scene.drawing import markup
from fern_tide.core.scene.gltf.sketch import sketch
from fern_tide.core.scene.pose_params import Pose, PosesParams
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.core.scene.svg.bounds import box_of
from fern_tide.core.scene.svg.geometry import number
from fern_tide.web.context import staged

_ROOM = 0.15  # about what is posed, of its own size


@dataclass(frozen=True)
class PosesSheet:
    """What is shown of a row of poses.

    Attributes:
        poses: they.
        posing: whether its parts stand as they are set by hand.
        open: whether how they stand can be stored: they do not lie between two poses.
        n_parts: how many parts are posed.
        n_gone: how many values are of parts or properties that are not there any more.
    """

    poses: Sequence[Pose]
    posing: bool
    open: bool
    n_parts: int
    n_gone: int


def poses_sheet(scene: Scene, part: Part) -> PosesSheet | None:
    """Give the sheet of a row of poses; None for any other part."""
    params = part.shape.params
    if not isinstance(params, PosesParams):
        return None
    known = {item.id: item for item in scene.parts}
    names = dict.fromkeys(name for pose in params.poses for name in pose.values)
    gone = sum(
        name not in known or not known[name].has(item)
        for pose in params.poses
        for name, values in pose.values.items()
        for item in values
    )
    here = sum(name in known for name in names)
    return PosesSheet(params.poses, params.posing, params.posing or len(params.poses) < 2, here, gone)


def row_of(scene: Scene, part: Part) -> Part | None:
    """Give the row of poses that a part is in, or None."""
    rows = ((item, item.shape.params) for item in scene.parts)
    return next((i for i, p in rows if isinstance(p, PosesParams) and any(part.id in x.values for x in p.poses)), None)


def pose_picture(scene: Scene, row: Part, place: int) -> str:
    """Draw the scene as a pose has it, as the text of an SVG: in 2D only what is about its parts.

    Raises:
        FernTideError: there is no such pose.
    """
    posed = {part.id: part for part in posed_parts(scene, row, place)}
    still = row.but(shape=row.shape.but(params=row.shape.params.but(posing=True)))
    stage = staged(scene.but(parts=tuple(posed.get(part.id, still if part is row else part) for part in scene.parts)))
    if scene.kind == "3d":
        return sketch(stage.still)
    boxes = [stage.extents[name].stage for name in posed if name in stage.extents]
    around = box_of(point for left, top, right, low in boxes for point in ((left, top), (right, low)))
    if around is not None:
        _look_at(stage.drawn, around, (scene.width, scene.height))
    return markup(stage.drawn)


def _look_at(drawn: ET.Element, box: tuple[float, float, float, float], size: tuple[int, int]) -> None:
    """Show a box of a drawing, given in shares of the stage, with some room about it."""
    left, right = box[0] * size[0], box[2] * size[0]
    top, low = box[1] * size[1], box[3] * size[1]
    room = _ROOM * max(right - left, low - top, 1.0)
    corners = (left - room, top - room, right - left + 2 * room, low - top + 2 * room)
    drawn.set("viewBox", " ".join(map(number, corners)))

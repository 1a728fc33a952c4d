"""Faces: scattered over a solid or a mesh that was brought in, as many on the same area everywhere."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.arrays.layout import MOST_PIECES, Laid, Layout, Size, packed, unpacked, upright
from fern_tide.core.scene.placement import above, in_scene
from fern_tide.core.scene.rotation import steady_turns

if TYPE_CHECKING:
    from fern_tide.core.scene.scene import Part, Scene


class FacesParams(Params):
    """How many pieces, on which solid."""

    count: Annotated[int, Field(ge=1, le=MOST_PIECES), unit("", "How many pieces there are.")] = 60
    solid: Annotated[str, Field(max_length=120), unit("", "The solid or mesh that they stand on.", kind="part")] = ""
    facing: Annotated[bool, unit("", "Whether each piece stands up from its face.", label="Stand on it")] = True
    scatter: Annotated[
        int, Field(ge=0, lt=2**31), unit("", "Another number scatters them otherwise.", label="Scatter")
    ] = 1
    corners: Annotated[str, Field(max_length=100_000_000), unit("", "The solid's triangles.", kind="given")] = ""


def given(scene: Scene, part: Part, params: FacesParams) -> FacesParams:
    """Complete the params by the solid's triangles, as the array counts them; without one all are in the middle."""
    solid = next((item for item in scene.parts if item.id == params.solid), None)
    triangles = None if solid is None else triangles_of(scene, solid)
    if solid is None or triangles is None:
        return params.but(corners="")
    matrix = np.linalg.pinv(in_scene(scene, part)) @ in_scene(scene, solid)
    if np.linalg.det(matrix[:3, :3]) < 0:
        triangles = triangles[:, ::-1]  # mirrored, what faced out would face in
    return params.but(corners=packed(triangles @ matrix[:3, :3].T + matrix[:3, 3]))


def triangles_of(scene: Scene, part: Part) -> FloatArray | None:
    """Give the corners of a part's triangles in its own metres, shape (triangles, 3, 3); None of what has no faces."""
    kind, params = part.kind, part.shape.params
    if kind.solid is not None:
        mesh = kind.solid(params)
        return np.asarray(mesh.positions.astype(np.float64)[mesh.triangles])
    if kind.faces is None:
        return None
    return kind.faces(scene.file(part.file).media, params)


def has_faces(part: Part) -> bool:
    """Say whether a part is a solid, or a mesh that was brought in whose triangles can be read."""
    kind = part.kind
    return kind.solid is not None or (
        kind.faces is not None and bool(kind.vertices and kind.vertices(part.shape.params))
    )


def offers(scene: Scene, part: Part) -> list[Part]:
    """List the solids and meshes that are not in the array."""
    without = {item.id for item in (*scene.branch(part.id), *above(scene, part))}
    return [item for item in scene.parts if item.id not in without and has_faces(item)]


def _scattered(params: FacesParams) -> tuple[FloatArray, FloatArray] | None:
    """Give points and the ways out of their faces, shape (pieces, 3); None without a face that has an area."""
    triangles = unpacked(params.corners).reshape(-1, 3, 3)
    if not len(triangles):
        return None
    out = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    areas = np.linalg.norm(out, axis=1)
    if not areas.sum() > 0:
        return None
    numbers = np.random.Generator(np.random.PCG64(params.scatter)).random((params.count, 3))
    reached = np.cumsum(areas)
    face = np.minimum(np.searchsorted(reached, numbers[:, 0] * reached[-1], side="right"), len(areas) - 1)
    root = np.sqrt(numbers[:, 1])  # even over a triangle (Turk 1990)
    shares = np.stack([1.0 - root, root * (1.0 - numbers[:, 2]), root * numbers[:, 2]], axis=1)
    points = np.einsum("ij,ijk->ik", shares, triangles[face])
    return points, out[face] / np.maximum(areas[face], 1e-300)[:, np.newaxis]


def lay(params: FacesParams) -> Laid:
    """Give pieces on the faces."""
    scattered = _scattered(params)
    if scattered is None:
        return Laid({"out": np.zeros((params.count, 3))}, upright(params.count), np.zeros((params.count, 3)))
    points, out = scattered
    if not params.facing:
        return Laid({"out": out}, upright(params.count), points)
    steep = np.abs(out[:, 1:2]) > 0.9
    right = np.cross(out, np.where(steep, [0.0, 0.0, 1.0], [0.0, 1.0, 0.0]))
    right /= np.linalg.norm(right, axis=1, keepdims=True)
    frames = np.stack([right, out, np.cross(right, out)], axis=2)  # (pieces, 3, 3): a piece's own axes as columns
    return Laid({"out": out}, steady_turns(np.moveaxis(frames, 0, 2)), points)


LAYOUT = Layout(
    id="faces",
    label="On a solid",
    help="Scattered over the faces of a solid, or of a mesh that was brought in.",
    params=FacesParams,
    sizes=(Size("out", "Off the faces", 0.0),),
    count=lambda params: params.count,
    lay=lay,
    given=given,
    offers=offers,
)

"""Meshes with shapes beside them, for all that shapers can do: of solids made here, and of what came with a file."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.gltf.container import Gltf, Json
from fern_tide.core.scene.gltf.plain_mesh import mesh_of
from fern_tide.core.scene.mesh import Mesh
from fern_tide.core.scene.refining import facing, refined
from fern_tide.core.scene.scene import PartChoice
from fern_tide.core.scene.shaping import Shaping, shapes_of

_REMEMBERED = 8
Shapes = list[tuple[npt.NDArray[np.float32], npt.NDArray[np.float32]]]


def shapes_of_mesh(gltf: Gltf, mesh: Json, shapers: Sequence[Shaping]) -> list[Shapes]:
    """Give what each shape adds to the points and normals of a mesh's primitives, a list of shapes for each of these.

    Args:
        gltf: whose.
        mesh: one that can be shaped; its primitives are shaped as one.
        shapers: at least one.
    """
    points, corners, counts = mesh_of(gltf, mesh)
    shapes = _shapes(points.tobytes(), corners.tobytes(), tuple(shapers))
    ends = np.cumsum(counts)
    return [
        [(moved[end - count : end], turned[end - count : end]) for moved, turned in shapes]
        for end, count in zip(ends, counts, strict=True)
    ]


@lru_cache(maxsize=_REMEMBERED)
def _shapes(positions: bytes, triangles: bytes, shapers: tuple[Shaping, ...]) -> Shapes:
    """Give what each shape adds to points and to normals: remembered, since it takes a while."""
    points: FloatArray = np.frombuffer(positions, dtype=np.float64).reshape(-1, 3)
    corners = np.frombuffer(triangles, dtype=np.int64).reshape(-1, 3)
    return targets(Mesh(points, np.zeros_like(points), corners.astype(np.uint32)), shapers)


def targets(mesh: Mesh, shapers: Sequence[Shaping]) -> Shapes:
    """Give what each shape of shapers adds to a mesh's points, and to its normals as its triangles face."""
    stands = facing(mesh.positions, mesh.triangles)
    shapes = shapes_of(mesh, shapers)
    turned = (facing(mesh.positions + shape, mesh.triangles) - stands for shape in shapes)
    return [(shape.astype("<f4"), normals.astype("<f4")) for shape, normals in zip(shapes, turned, strict=True)]


def solid_mesh(shape: PartChoice, *, bends: bool) -> Mesh:
    """Give a solid's mesh, fine enough to bend where it has shapers."""
    assert shape.spec.solid is not None, shape.id
    mesh: Mesh = shape.spec.solid(shape.params)
    return refined(mesh) if bends and len(mesh.triangles) else mesh


@lru_cache(maxsize=64)
def solid_shapes(shape: PartChoice, shapers: tuple[Shaping, ...]) -> Shapes:
    """Give what each shape of a solid adds to its points and to its normals: remembered, since it takes a while."""
    return targets(solid_mesh(shape, bends=True), shapers)

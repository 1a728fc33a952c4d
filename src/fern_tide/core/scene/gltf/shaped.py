"""Meshes with shapes beside them, for all that shapers can do: of solids made here, and of what came with a file."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.gltf.container import Gltf, Json, items_of
from fern_tide.core.scene.gltf.packed import PACKED
from fern_tide.core.scene.gltf.reading import measured, values_of
from fern_tide.core.scene.mesh import Mesh
from fern_tide.core.scene.refining import facing, refined
from fern_tide.core.scene.scene import PartChoice
from fern_tide.core.scene.shaping import Shaping, shapes_of

MOST_VERTICES = 200_000
_TRIANGLES = 4
_REMEMBERED = 8
Shapes = list[tuple[npt.NDArray[np.float32], npt.NDArray[np.float32]]]


def n_vertices(document: Json, mesh: Json) -> int:
    """Count the vertices of a mesh that can be shaped; 0 of one that cannot.

    Those that have morph targets of their own, are packed, or are no triangles, stay as they are.
    """
    count = 0
    for primitive in items_of(mesh, "primitives"):
        attributes = primitive.get("attributes")
        position = attributes.get("POSITION") if isinstance(attributes, dict) else None
        plain = primitive.get("mode", _TRIANGLES) == _TRIANGLES and not primitive.get("targets")
        if position is None or not plain:
            return 0
        accessors = [position, primitive["indices"]] if "indices" in primitive else [position]
        if not all(_is_plain(document, index) for index in accessors):
            return 0
        bounded = {"min", "max"} <= document["accessors"][position].keys()
        if _names_packing(primitive) or not bounded:
            return 0
        count += int(document["accessors"][position]["count"])
    return count if count <= MOST_VERTICES else 0


def _is_plain(document: Json, index: int) -> bool:
    accessor = document["accessors"][index]
    if "sparse" in accessor or "bufferView" not in accessor:
        return False
    return not _names_packing(document["bufferViews"][accessor["bufferView"]])


def _names_packing(owner: Json) -> bool:
    extensions = owner.get("extensions")
    return isinstance(extensions, dict) and any(name in extensions for name in PACKED)


def box_of_mesh(document: Json, mesh: Json) -> tuple[FloatArray, FloatArray]:
    """Give the box about a mesh that can be shaped, as its file says: its lowest and highest corners, shape (3,)."""
    accessors = [document["accessors"][one["attributes"]["POSITION"]] for one in items_of(mesh, "primitives")]
    low, high = (np.array([measured(item[end], item) for item in accessors]) for end in ("min", "max"))
    return low.min(axis=0), high.max(axis=0)


def shapes_of_mesh(gltf: Gltf, mesh: Json, shapers: Sequence[Shaping]) -> list[Shapes]:
    """Give what each shape adds to the points and normals of a mesh's primitives, a list of shapes for each of these.

    Args:
        gltf: whose.
        mesh: one that can be shaped; its primitives are shaped as one.
        shapers: at least one.
    """
    positions: list[FloatArray] = []
    triangles: list[npt.NDArray[np.int64]] = []
    counts: list[int] = []
    for primitive in items_of(mesh, "primitives"):
        index = primitive["attributes"]["POSITION"]
        points = measured(values_of(gltf, index), gltf.json["accessors"][index])
        corners = values_of(gltf, primitive["indices"]) if "indices" in primitive else np.arange(len(points))
        whole = len(corners) - len(corners) % 3
        triangles.append(np.asarray(corners[:whole], dtype=np.int64).reshape(-1, 3) + sum(counts))
        positions.append(points)
        counts.append(len(points))
    points, corners = np.concatenate(positions), np.concatenate(triangles)
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

"""Meshes of a glTF file whose triangles can be read and shaped."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.gltf.accessors import measured, values_of
from fern_tide.core.scene.gltf.container import Gltf, Json, items_of
from fern_tide.core.scene.gltf.packed import PACKED

MOST_VERTICES = 200_000
MOST_TRIANGLES = 1_000_000
_TRIANGLES = 4


def n_vertices(document: Json, mesh: Json) -> int:
    """Count the vertices of a mesh that can be shaped; 0 of one that cannot.

    Those that have morph targets of their own, are packed, are no triangles, or have very many, stay as they are.
    """
    count = corners = 0
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
        corners += int(document["accessors"][accessors[-1]]["count"])
    return count if count <= MOST_VERTICES and corners <= 3 * MOST_TRIANGLES else 0


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


def mesh_of(gltf: Gltf, mesh: Json) -> tuple[FloatArray, npt.NDArray[np.int64], list[int]]:
    """Give the vertices of a mesh that can be shaped, all its primitives as one.

    Returns:
        The points, shape (vertices, 3), in metres; the triangles, shape (triangles, 3); and how many vertices each
        primitive has.
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
    return np.concatenate(positions), np.concatenate(triangles), counts

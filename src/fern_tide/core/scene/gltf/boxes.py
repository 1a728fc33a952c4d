"""Where the nodes of a glTF scene lie: their boxes in the world, and as a camera sees them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from math import tan

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.gltf.accessors import measured
from fern_tide.core.scene.gltf.container import Gltf, Json, items_of
from fern_tide.core.scene.rotation import matrices

_OPENING = 0.7  # of a view from in front, in radians


@dataclass
class Placed:
    """What is seen of a scene at rest.

    Attributes:
        corners: of each node that has a mesh, the eight corners of its box in the world, shape (8, 3), by its index;
            a node without a mesh has those of what lies in it, if there is any.
        own: of each node that has a mesh, the corners of its box in the node's own metres, shape (8, 3), by its index.
        worlds: each node's matrix in the world, shape (4, 4), by its index.
        camera: the first camera's matrix and opening in radians, or None.
    """

    corners: dict[int, FloatArray] = field(default_factory=dict)
    own: dict[int, FloatArray] = field(default_factory=dict)
    worlds: dict[int, FloatArray] = field(default_factory=dict)
    camera: tuple[FloatArray, float] | None = None

    @property
    def view(self) -> tuple[FloatArray, float]:
        """The matrix and the opening of the camera, or of a view from in front of all that there is."""
        if self.camera is not None or not self.corners:
            return self.camera or (np.eye(4), _OPENING)
        return in_front(np.concatenate(list(self.corners.values())))


def in_front(points: FloatArray) -> tuple[FloatArray, float]:
    """Give a view from in front that has all points in it, of shape (n, 3): a matrix and an opening in radians."""
    low, high = points.min(axis=0), points.max(axis=0)
    view = np.eye(4)
    view[:3, 3] = (low + high) / 2 + np.array([0, 0, 1.6 * float(np.linalg.norm(high - low)) or 1.0])
    return view, _OPENING


def node_matrix(node: Json) -> FloatArray:
    """Give a node's own matrix, shape (4, 4)."""
    if "matrix" in node:
        return np.array(node["matrix"], dtype=np.float64).reshape(4, 4).T
    matrix = np.eye(4)
    quaternion = np.array(node.get("rotation", [0, 0, 0, 1]), dtype=np.float64)
    matrix[:3, :3] = matrices(quaternion[:, None])[:, :, 0] * np.array(node.get("scale", [1, 1, 1]))
    matrix[:3, 3] = node.get("translation", [0, 0, 0])
    return matrix


def roots(gltf: Gltf) -> list[int]:
    """List the nodes at the top of the scene that is shown."""
    scene = (items_of(gltf.json, "scenes") or [{}])[gltf.json.get("scene", 0)]
    return list(scene.get("nodes", []))


def placed(gltf: Gltf) -> Placed:
    """Find where the nodes of a scene lie at rest, from the bounds that the file gives of its meshes."""
    scene, nodes = Placed(), items_of(gltf.json, "nodes")
    waiting, order = [(root, np.eye(4)) for root in reversed(roots(gltf))], []
    while waiting:
        index, above = waiting.pop()
        node = nodes[index]
        world = scene.worlds[index] = above @ node_matrix(node)
        order.append(index)
        if "mesh" in node and (own := _corners(gltf, items_of(gltf.json, "meshes")[node["mesh"]])) is not None:
            scene.own[index] = own
            scene.corners[index] = own @ world[:3, :3].T + world[:3, 3]
        if "camera" in node and scene.camera is None:
            lens = items_of(gltf.json, "cameras")[node["camera"]].get("perspective")
            scene.camera = (world, float(lens["yfov"])) if lens else None
        waiting += [(child, world) for child in reversed(node.get("children", []))]
    for index in reversed(order):
        inner = [scene.corners[child] for child in nodes[index].get("children", []) if child in scene.corners]
        if inner:
            points = np.concatenate([*inner, *([scene.corners[index]] if index in scene.corners else [])])
            scene.corners[index] = box_corners(points.min(axis=0), points.max(axis=0))
    return scene


def _corners(gltf: Gltf, mesh: Json) -> FloatArray | None:
    bounds = [
        measured(np.array([accessor["min"], accessor["max"]]), accessor)
        for item in items_of(mesh, "primitives")
        if "POSITION" in item["attributes"]
        and "min" in (accessor := gltf.json["accessors"][item["attributes"]["POSITION"]])
    ]
    if not bounds:
        return None
    return box_corners(np.min([low for low, _ in bounds], axis=0), np.max([high for _, high in bounds], axis=0))


def own_box(scene: Placed, nodes: Sequence[Json], index: int) -> tuple[FloatArray, FloatArray] | None:
    """Give the box of a node, with all that lies in it, in the node's own metres: its lower and its upper corner.

    Args:
        scene: where the nodes lie.
        nodes: the file's.
        index: which.

    Returns:
        Two arrays of shape (3,); None for a node with nothing to see in it, or that is squeezed to nothing.
    """
    if index not in scene.worlds or abs(np.linalg.det(scene.worlds[index])) < 1e-12:
        return None
    back = np.linalg.inv(scene.worlds[index])
    points, waiting = [], [index]
    while waiting:
        at = waiting.pop()
        if at in scene.own:
            way = back @ scene.worlds[at]
            points.append(scene.own[at] @ way[:3, :3].T + way[:3, 3])
        waiting += nodes[at].get("children", [])
    if not points:
        return None
    corners = np.concatenate(points)
    return corners.min(axis=0), corners.max(axis=0)


def box_corners(low: FloatArray, high: FloatArray) -> FloatArray:
    """Give the corners of a box, shape (8, 3): bit k of a corner's place says whether axis k is high."""
    picks = np.array([[(at >> axis) & 1 for axis in range(3)] for at in range(8)])
    return np.where(picks, high, low)


def seen(points: FloatArray, *, view: tuple[FloatArray, float], shape: float) -> FloatArray:
    """Give where points in the world are seen, in shares of the picture from its upper left.

    Args:
        points: shape (n, 3).
        view: a camera's matrix in the world and its opening from top to bottom in radians.
        shape: the picture's width over its height.

    Returns:
        Shape (n, 2); points beside or behind the camera are put far outside.
    """
    matrix, opening = view
    local = (points - matrix[:3, 3]) @ matrix[:3, :3]  # a camera looks along its own -z
    depth = np.maximum(-local[:, 2], 1e-3)
    half = tan(opening / 2) * depth
    flat = np.stack([local[:, 0] / (half * shape), -local[:, 1] / half], axis=1)
    return np.clip(0.5 + flat / 2, -100.0, 100.0)

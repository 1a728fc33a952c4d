"""Meshes of simple solids: positions, normals and triangles, in metres, with y up."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import FloatArray


@dataclass(frozen=True)
class Mesh:
    """A triangle mesh.

    Attributes:
        positions: shape (vertices, 3), in metres.
        normals: shape (vertices, 3), of length 1.
        triangles: shape (triangles, 3), counter-clockwise as seen from outside; none of outlines.
        is_flat: whether it is outlines, at z = 0, which stay there: what counts is the area that they are about.
    """

    positions: FloatArray
    normals: FloatArray
    triangles: npt.NDArray[np.uint32]
    is_flat: bool = False


def turned(profile: FloatArray, normals: FloatArray, *, around: int) -> Mesh:
    """Turn an outline about the y axis.

    Args:
        profile: shape (points, 2): distance from the axis and height, from top to bottom.
        normals: shape (points, 2): outward, of length 1; a corner has its point twice.
        around: how many columns.
    """
    angles = np.linspace(0.0, 2 * np.pi, around + 1)
    spin = np.stack([np.cos(angles), np.sin(angles)])
    positions = np.empty((around + 1, len(profile), 3))
    facing = np.empty_like(positions)
    for out, source in ((positions, profile), (facing, normals)):
        out[:, :, 0] = spin[0][:, None] * source[None, :, 0]
        out[:, :, 1] = source[None, :, 1]
        out[:, :, 2] = spin[1][:, None] * source[None, :, 0]
    rows = len(profile)
    a = (np.arange(around)[:, None] * rows + np.arange(rows - 1)[None]).ravel()
    triangles = np.concatenate([np.stack([a, a + rows, a + 1], 1), np.stack([a + 1, a + rows, a + rows + 1], 1)])
    flat = positions.reshape(-1, 3)
    corners = flat[triangles]
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    return Mesh(flat, facing.reshape(-1, 3), triangles[area > 1e-12].astype(np.uint32))


def box(width: float, height: float, depth: float) -> Mesh:
    """Give a box that stands on y = 0."""
    positions: list[FloatArray] = []
    normals: list[FloatArray] = []
    triangles: list[tuple[int, int, int]] = []
    for axis in range(3):
        u, v = (axis + 1) % 3, (axis + 2) % 3
        for side in (-1.0, 1.0):
            first = len(positions)
            for du, dv in ((-1, -1), (1, -1), (1, 1), (-1, 1)):
                point = np.zeros(3)
                point[axis], point[u], point[v] = side, du * side, dv
                positions.append(point)
                normals.append(np.eye(3)[axis] * side)
            triangles += [(first, first + 1, first + 2), (first, first + 2, first + 3)]
    size = np.array([width, height, depth]) / 2
    placed = np.array(positions) * size + np.array([0.0, height / 2, 0.0])
    return Mesh(placed, np.array(normals), np.array(triangles, dtype=np.uint32))


def bounds(mesh: Mesh) -> tuple[FloatArray, FloatArray]:
    """Give the lowest and the highest corner, each of shape (3,)."""
    return mesh.positions.min(axis=0), mesh.positions.max(axis=0)

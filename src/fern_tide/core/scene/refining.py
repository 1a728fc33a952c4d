"""Meshes with more vertices, so that they can bend."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.mesh import Mesh, bounds

MOST_VERTICES = 20_000
_SHARE = 1 / 16


def refined(mesh: Mesh) -> Mesh:
    """Give a mesh none of whose edges is longer than a sixteenth of its size, or one of as many vertices as are made.

    Edges that are too long are halved, in both triangles that share them, so that nothing opens.
    """
    low, high = bounds(mesh)
    longest = float(np.linalg.norm(high - low)) * _SHARE
    while True:
        finer = _halved(mesh, longest)
        if finer is None or len(finer.positions) > MOST_VERTICES:
            return mesh
        mesh = finer


def _halved(mesh: Mesh, longest: float) -> Mesh | None:
    """Halve each edge that is too long once; None where none is."""
    triangles = mesh.triangles.astype(np.int64)
    edges = np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=2)  # (triangles, 3, 2): ab, bc, ca
    lengths = np.linalg.norm(mesh.positions[edges[..., 0]] - mesh.positions[edges[..., 1]], axis=2)
    long = lengths > longest
    if not long.any():
        return None
    ends, new = np.unique(np.sort(edges[long], axis=1), axis=0, return_inverse=True)
    n = len(mesh.positions)
    halves = np.full(long.shape, -1, dtype=np.int64)
    halves[long] = n + new.ravel()
    positions = np.concatenate([mesh.positions, mesh.positions[ends].mean(axis=1)])
    normals = np.concatenate([mesh.normals, _unit(mesh.normals[ends].sum(axis=1))])
    parts = [_split(triangles[long.sum(axis=1) == k], halves[long.sum(axis=1) == k], k) for k in range(4)]
    return Mesh(positions, normals, np.concatenate(parts).astype(np.uint32))


def _split(triangles: npt.NDArray[np.int64], halves: npt.NDArray[np.int64], count: int) -> npt.NDArray[np.int64]:
    """Split triangles of which so many edges are halved, each turned so that these come first."""
    if count in {0, 3}:
        (a, b, c), (ab, bc, ca) = triangles.T, halves.T
        whole = [(a, b, c)] if count == 0 else [(a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca)]
        return np.concatenate([np.stack(one, axis=1) for one in whole])
    wanted = halves >= 0
    first = wanted.argmax(axis=1) if count == 1 else ((~wanted).argmax(axis=1) + 1) % 3
    order = (first[:, np.newaxis] + np.arange(3)) % 3
    (a, b, c), (ab, bc, _) = (np.take_along_axis(item, order, axis=1).T for item in (triangles, halves))
    whole = [(a, ab, c), (ab, b, c)] if count == 1 else [(a, ab, bc), (ab, b, bc), (a, bc, c)]
    return np.concatenate([np.stack(one, axis=1) for one in whole])


def _unit(vectors: FloatArray) -> FloatArray:
    sizes = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.asarray(vectors / np.where(sizes > 0, sizes, 1.0))


def facing(points: FloatArray, triangles: npt.NDArray[np.uint32]) -> FloatArray:
    """Give the normals of vertices as their triangles face, larger ones counting more, shape (vertices, 3)."""
    corners = points[triangles]
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normals = np.zeros_like(points)
    for column in range(3):
        np.add.at(normals, triangles[:, column], across)
    return _unit(normals)

"""The faces of meshes that were brought in, for what stands on them or leaves from them.

A document names a file by the hash of its content, so a mesh is the same wherever its file lies. Whoever keeps files
lends them here once; what is made of a document need not be handed its files then.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from weakref import WeakMethod

import numpy as np

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.gltf.container import items_of
from fern_tide.core.scene.gltf.plain_mesh import mesh_of, n_vertices
from fern_tide.core.scene.gltf.reading import read_gltf

_REMEMBERED = 8
_lenders: list[WeakMethod[Callable[[str], bytes]]] = []


def lend(read: Callable[[str], bytes]) -> None:
    """Let files be read by the hash of their content.

    Args:
        read: a method of what keeps files, which lends them as long as that is there; it raises FernTideError or
            OSError of what is not among them.
    """
    _lenders[:] = [known for known in _lenders if known() is not None]
    _lenders.append(WeakMethod(read))


def triangles_of_node(media: str, index: int) -> FloatArray:
    """Give the corners of a node's triangles in its own metres, shape (triangles, 3, 3).

    Args:
        media: the hash of the glTF file.
        index: the node's place in it.

    Returns:
        None of them where the file is not lent, or the node has no mesh whose triangles can be read.
    """
    try:
        return _triangles(media, index)
    except LookupError:
        return np.zeros((0, 3, 3))  # which is not remembered: the file may come


@lru_cache(maxsize=_REMEMBERED)
def _triangles(media: str, index: int) -> FloatArray:
    gltf = read_gltf(_content(media))
    meshes, node = items_of(gltf.json, "meshes"), items_of(gltf.json, "nodes")[index]
    mesh = meshes[node["mesh"]] if "mesh" in node else {}
    if not n_vertices(gltf.json, mesh):
        return np.zeros((0, 3, 3))
    points, corners, _ = mesh_of(gltf, mesh)
    return np.asarray(points[corners])


def _content(media: str) -> bytes:
    for lender in reversed(_lenders):
        read = lender()
        try:
            if read is not None:
                return read(media)
        except (FernTideError, OSError, ValueError):
            continue
    raise LookupError(media)

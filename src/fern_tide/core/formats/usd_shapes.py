"""Shapes that a mesh goes towards (glTF: morph targets) as USD has them: blend shapes, on a skeleton of one joint.

Points are p + sum of w d, as in glTF. UsdSkel finds the weights by a skeleton; its one joint never moves.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.formats.usd_text import prim, prim_name, rows_text, samples, text_of
from fern_tide.core.scene.gltf.accessors import measured, values_of
from fern_tide.core.scene.gltf.container import Gltf, Json
from fern_tide.core.scene.gltf.packed import is_packed

BOUND = "SkelBindingAPI"
ON_SKELETON = "rel skel:skeleton = <../skeleton>"
_STILL = "[((1, 0, 0, 0), (0, 1, 0, 0), (0, 0, 1, 0), (0, 0, 0, 1))]"
STILL_JOINT = (
    'uniform token[] joints = ["still"]',
    f"uniform matrix4d[] bindTransforms = {_STILL}",
    f"uniform matrix4d[] restTransforms = {_STILL}",
)
ON_STILL_JOINT = tuple(
    line
    for name in ("int[] primvars:skel:jointIndices = [0]", "float[] primvars:skel:jointWeights = [1]")
    for line in (f"{name} (", "    elementSize = 1", '    interpolation = "constant"', ")")
)


def shape_names(mesh: Json) -> list[str]:
    """Name the shapes of a mesh, each as no other."""
    count = max((len(one.get("targets", ())) for one in mesh["primitives"]), default=0)
    given = mesh.get("extras", {})
    names = given.get("targetNames", []) if isinstance(given, dict) else []
    known = [str(name) for name in names] if isinstance(names, list) else []
    return [prim_name((known[place : place + 1] or ["shape"])[0], place) for place in range(count)]


def still_shares(node: Json, mesh: Json, n_shapes: int) -> FloatArray:
    """Give how much there is of each shape of a node's mesh where nothing moves it, shape (shapes, 1)."""
    shares = np.zeros((n_shapes, 1))
    known = (node.get("weights") or mesh.get("weights") or [])[:n_shapes]
    shares[: len(known), 0] = known
    return shares


def shape_lines(gltf: Gltf, primitive: Json, names: Sequence[str], *, metre: float) -> list[str]:
    """Write what the mesh of a primitive says of its shapes, and those; nothing where it has none, or they are packed.

    Args:
        gltf: whose.
        primitive: which.
        names: of the shapes.
        metre: how long a metre is.
    """
    targets = primitive.get("targets", [])
    accessors = [gltf.json["accessors"][index] for target in targets for index in target.values()]
    if not targets or any(is_packed(gltf, one) for one in accessors):
        return []
    n_points = gltf.json["accessors"][primitive["attributes"]["POSITION"]]["count"]
    here = names[: len(targets)]
    lines = [
        "uniform token[] skel:blendShapes = [" + ", ".join(map(text_of, here)) + "]",
        "rel skel:blendShapeTargets = [" + ", ".join(f"<{name}>" for name in here) + "]",
    ]
    for name, target in zip(here, targets, strict=True):
        moves = _rows(gltf, target.get("POSITION"), n_points) * metre
        turns = _rows(gltf, target.get("NORMAL"), n_points)
        at = np.flatnonzero(moves.any(axis=1) | turns.any(axis=1))
        at = at if at.size else np.zeros(1, dtype=np.int64)  # without points it would be of all
        inside = [f"uniform vector3f[] offsets = {rows_text(moves[at])}"]
        if "NORMAL" in target:
            inside.append(f"uniform vector3f[] normalOffsets = {rows_text(turns[at])}")
        inside.append("uniform int[] pointIndices = [" + ", ".join(map(str, at.tolist())) + "]")
        lines += prim("BlendShape", name, inside)
    return lines


def share_lines(names: Sequence[str], shares: FloatArray, pointer: str | None) -> list[str]:
    """Write how much of each shape there is.

    Args:
        names: of the shapes.
        shares: shape (shapes, frames); of one frame where they stand still.
        pointer: what they are in the scene; None where they stand still.
    """
    name = "float[] blendShapeWeights"
    return [
        "uniform token[] blendShapes = [" + ", ".join(map(text_of, names)) + "]",
        *([f"{name} = {rows_text(shares[:, 0])}"] if pointer is None else samples(name, pointer, shares, listed=True)),
    ]


def rigged(lines: Sequence[str], *, joints: Sequence[str], motion: Sequence[str]) -> list[str]:
    """Give meshes that a skeleton carries, with that, under one root.

    Args:
        lines: the meshes.
        joints: of the skeleton.
        motion: of joints and shapes.
    """
    skeleton = [*joints, "rel skel:animationSource = <../motion>"]
    return prim(
        "SkelRoot",
        "rigged",
        [
            *lines,
            *prim("Skeleton", "skeleton", skeleton, about=[f'prepend apiSchemas = ["{BOUND}"]']),
            *prim("SkelAnimation", "motion", motion),
        ],
    )


def _rows(gltf: Gltf, index: int | None, n_points: int) -> FloatArray:
    if index is None:
        return np.zeros((n_points, 3))
    return np.asarray(measured(values_of(gltf, index), gltf.json["accessors"][index]), dtype=np.float64)

"""Meshes that joints carry (glTF: skins) as USD has them: on a skeleton of the joints and of all that these lie in.

A point is the sum of w J B p, as in glTF: J is where a joint is, B the inverse of where it was bound. What joints lie
in are joints too, so that each has the very place, turn and size of its node; sizes are of half precision in UsdSkel.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.formats.channels import Moving
from fern_tide.core.formats.usd_text import of_points, prim_name, rows_text, text_of, tuple_of
from fern_tide.core.scene.gltf.accessors import measured, values_of
from fern_tide.core.scene.gltf.boxes import node_matrix
from fern_tide.core.scene.gltf.container import Gltf, Json, items_of
from fern_tide.core.scene.gltf.packed import is_packed
from fern_tide.core.scene.rotation import parted

_PARTS = (("translation", "float3[] translations"), ("rotation", "quatf[] rotations"), ("scale", "half3[] scales"))


@dataclass(frozen=True)
class Rig:
    """What carries a skinned mesh.

    Attributes:
        nodes: the joints' nodes and those that they lie in, each after the one that it lies in.
        names: of these, as paths.
        bound: where each was when the mesh was bound to it, shape (nodes, 4, 4), in metres.
        joints: the places in `nodes` of the skin's own joints, in its order.
    """

    nodes: tuple[int, ...]
    names: tuple[str, ...]
    bound: FloatArray
    joints: tuple[int, ...]


def rig_of(gltf: Gltf, node: Json, above: Mapping[int, int]) -> Rig | None:
    """Give what carries a node's mesh; None where nothing does, or its numbers are not there or cannot be used.

    Args:
        gltf: whose.
        node: one with a mesh.
        above: the node that each node lies in, of those that lie in one.
    """
    if "skin" not in node:
        return None
    document = gltf.json
    skin, primitives = document["skins"][node["skin"]], items_of(document["meshes"][node["mesh"]], "primitives")
    carriers, inverses = [int(joint) for joint in skin["joints"]], skin.get("inverseBindMatrices")
    if not carriers or not all(_carried(gltf, one, len(carriers)) for one in primitives):
        return None
    ways = [_way(joint, above) for joint in carriers]
    nodes = list(dict.fromkeys(index for way in ways for index in way))
    bound, paths = dict[int, FloatArray](), dict[int, str]()
    for index in nodes:  # each after the one that it lies in
        name, outer = prim_name(str(document["nodes"][index].get("name", "joint")), index), above.get(index, -1)
        bound[index] = bound.get(outer, np.eye(4)) @ node_matrix(document["nodes"][index])
        paths[index] = f"{paths[outer]}/{name}" if outer in paths else name
    if inverses is not None:
        accessor = document["accessors"][inverses]
        if is_packed(gltf, accessor) or accessor["type"] != "MAT4" or accessor["count"] < len(carriers):
            return None
        matrices = np.asarray(values_of(gltf, inverses), dtype=np.float64).reshape(-1, 4, 4).transpose(0, 2, 1)
        if not (np.abs(np.linalg.det(matrices)) > 0.0).all():
            return None
        bound |= dict(zip(carriers, np.linalg.inv(matrices), strict=False))
    else:
        bound |= dict.fromkeys(carriers, np.eye(4))
    where = {index: place for place, index in enumerate(nodes)}
    places = tuple(where[joint] for joint in carriers)
    return Rig(tuple(nodes), tuple(paths.values()), np.stack([bound[at] for at in nodes]), places)


def _way(index: int, above: Mapping[int, int]) -> list[int]:
    """List the nodes from the topmost to one."""
    way = [index]
    while way[-1] in above:
        way.append(above[way[-1]])
    return way[::-1]


def _carried(gltf: Gltf, primitive: Json, n_joints: int) -> bool:
    """Say whether it is known which joints carry each point of a primitive, and how much."""
    attributes = primitive["attributes"]
    if "JOINTS_0" not in attributes or "WEIGHTS_0" not in attributes:
        return False
    for name, index in attributes.items():
        if name.startswith(("JOINTS_", "WEIGHTS_")):
            accessor = gltf.json["accessors"][index]
            if is_packed(gltf, accessor) or accessor["type"] != "VEC4":
                return False
            joints = values_of(gltf, index) if name.startswith("JOINTS_") else None
            if joints is not None and (joints.dtype.kind != "u" or (joints.size and int(joints.max()) >= n_joints)):
                return False
    return True


def carried_lines(gltf: Gltf, primitive: Json, rig: Rig) -> list[str]:
    """Write which joints carry each point of a primitive's mesh, and how much."""
    sets = [place for place in range(8) if {f"JOINTS_{place}", f"WEIGHTS_{place}"} <= primitive["attributes"].keys()]
    joints = np.concatenate([_of_points(gltf, primitive, f"JOINTS_{place}") for place in sets], axis=1)
    weights = np.concatenate([_of_points(gltf, primitive, f"WEIGHTS_{place}") for place in sets], axis=1)
    whole = weights.sum(axis=1, keepdims=True)
    weights = np.divide(weights, whole, out=np.zeros_like(weights), where=whole > 0.0)
    size = [f"elementSize = {joints.shape[1]}"]
    return [
        "uniform token[] skel:joints = [" + ", ".join(text_of(rig.names[at]) for at in rig.joints) + "]",
        *of_points("int[] primvars:skel:jointIndices", joints.ravel(), about=size),
        *of_points("float[] primvars:skel:jointWeights", weights.ravel(), about=size),
    ]


def _of_points(gltf: Gltf, primitive: Json, name: str) -> FloatArray:
    index = primitive["attributes"][name]
    values = values_of(gltf, index)
    return np.asarray(values if name.startswith("JOINTS_") else measured(values, gltf.json["accessors"][index]), float)


def skeleton_lines(gltf: Gltf, rig: Rig, *, metre: float) -> list[str]:
    """Write the joints of a skeleton: where they were bound, and where they rest."""
    rest = np.stack([node_matrix(gltf.json["nodes"][index]) for index in rig.nodes])
    return [
        _tokens("joints", rig.names),
        f"uniform matrix4d[] bindTransforms = {_matrices(rig.bound, metre)}",
        f"uniform matrix4d[] restTransforms = {_matrices(rest, metre)}",
    ]


def motion_lines(gltf: Gltf, rig: Rig, moving: Mapping[str, Moving], *, metre: float) -> list[str]:
    """Write where the joints are, in each frame where any of them moves."""
    lines = [_tokens("joints", rig.names)]
    for place, (path, name) in enumerate(_PARTS):
        pointers = [f"/nodes/{index}/{path}" for index in rig.nodes]
        n_frames = max((moving[one].rows.shape[1] for one in pointers if one in moving), default=1)
        rows = []
        for index, pointer in zip(rig.nodes, pointers, strict=True):
            still = parted(node_matrix(gltf.json["nodes"][index]))[place][:, np.newaxis]
            known = moving[pointer].rows if pointer in moving else still
            rows.append(np.broadcast_to(known, (len(known), n_frames)))
        values = np.stack(rows)  # (joints, width, frames)
        values = values[:, [3, 0, 1, 2]] if path == "rotation" else values * (metre if path == "translation" else 1.0)
        if n_frames == 1:
            lines.append(f"{name} = {rows_text(values[:, :, 0])}")
        else:
            frames = (f"    {frame}: {rows_text(values[:, :, frame])}," for frame in range(n_frames))
            lines += [f"{name}.timeSamples = {{", *frames, "}"]
    return lines


def _tokens(name: str, words: Sequence[str]) -> str:
    return f"uniform token[] {name} = [" + ", ".join(map(text_of, words)) + "]"


def _matrices(matrices: FloatArray, metre: float) -> str:
    """Write matrices, shape (n, 4, 4), as USD has them: of rows, the place is the last one."""
    turned = matrices.transpose(0, 2, 1).copy()
    turned[:, 3, :3] *= metre
    return "[" + ", ".join(f"({', '.join(map(tuple_of, matrix))})" for matrix in turned) + "]"

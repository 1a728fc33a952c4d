"""The meshes of a glTF file as USD: triangles, what each point has, shapes, and what carries them (OpenUSD, usda)."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.formats.usd_shapes import BOUND, ON_SKELETON, ON_STILL_JOINT, shape_lines
from fern_tide.core.formats.usd_skins import Rig, carried_lines
from fern_tide.core.formats.usd_surface import MATERIALS
from fern_tide.core.formats.usd_text import of_points, prim, primvar, rows_text, text_of
from fern_tide.core.scene.gltf.accessors import measured, values_of
from fern_tide.core.scene.gltf.container import Gltf, Json
from fern_tide.core.scene.gltf.packed import is_packed

_TRIANGLES = 4
_COORDINATES = 8  # of a point, at most


def mesh_prims(gltf: Gltf, mesh: Json, *, names: Sequence[str], rig: Rig | None, metre: float) -> list[str]:
    """Write a mesh, a prim for each of its primitives that can be.

    Args:
        gltf: whose.
        mesh: which.
        names: of its shapes; none where they stay behind.
        rig: what carries it; None where nothing does.
        metre: how long a metre is.
    """
    lines: list[str] = []
    for place, primitive in enumerate(mesh["primitives"]):
        material = primitive.get("material")
        path = None if material is None else f"{MATERIALS}/material_{material}"
        inside = mesh_lines(gltf, primitive, path, metre=metre)
        if inside is None:
            continue
        shapes = shape_lines(gltf, primitive, names, metre=metre) if names else []
        apis = ["MaterialBindingAPI"] if path else []
        if rig is not None or shapes:
            apis.append(BOUND)
            inside += [ON_SKELETON, *(ON_STILL_JOINT if rig is None else carried_lines(gltf, primitive, rig))]
        about = [f"prepend apiSchemas = [{', '.join(map(text_of, apis))}]"] if apis else []
        lines += prim("Mesh", f"mesh_{place}", [*inside, *shapes], about=about)
    return lines


def mesh_lines(gltf: Gltf, primitive: Json, material: str | None, *, metre: float) -> list[str] | None:
    """Write the triangles of a mesh's primitive, a metre being so long; None of what is none, or is packed."""
    document = gltf.json
    if primitive.get("mode", _TRIANGLES) != _TRIANGLES or "POSITION" not in primitive.get("attributes", {}):
        return None
    names = {name: document["accessors"][index] for name, index in primitive["attributes"].items()}
    if any(is_packed(gltf, one) for one in names.values()):
        return None

    def numbers(name: str) -> FloatArray:
        index = primitive["attributes"][name]
        return np.asarray(measured(values_of(gltf, index), document["accessors"][index]))

    points = numbers("POSITION") * metre
    order = values_of(gltf, primitive["indices"]) if "indices" in primitive else np.arange(len(points))
    order = order[: len(order) // 3 * 3]
    lines = [
        f"point3f[] points = {rows_text(points)}",
        "int[] faceVertexCounts = [" + ", ".join(["3"] * (len(order) // 3)) + "]",
        "int[] faceVertexIndices = [" + ", ".join(map(str, order.tolist())) + "]",
        'uniform token subdivisionScheme = "none"',
        f"float3[] extent = {rows_text(np.stack([points.min(axis=0), points.max(axis=0)]))}" if len(points) else "",
    ]
    if "NORMAL" in names:
        lines += of_points("normal3f[] normals", numbers("NORMAL"))
    for place in range(_COORDINATES):
        if (name := f"TEXCOORD_{place}") not in names:
            continue
        flipped = numbers(name) * [1, -1] + [0, 1]
        lines += of_points(f"texCoord2f[] primvars:{primvar(place)}", flipped)
    if material is not None:
        lines.append(f"rel material:binding = <{material}>")
    if (
        document.get("materials")
        and "material" in primitive
        and document["materials"][primitive["material"]].get("doubleSided")
    ):
        lines.append("uniform bool doubleSided = 1")
    return [line for line in lines if line]

"""A small flat picture of a 3D scene as SVG: for lists, where no 3D view is worth its cost.

Triangles are placed, seen through the scene's first camera or from in front, shaded by how they face a light from
above, and painted from back to front.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from math import tan
from typing import Any

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.colour import colour_texts, to_srgb
from fern_tide.core.scene.gltf.accessors import measured, values_of
from fern_tide.core.scene.gltf.boxes import box_corners, in_front, node_matrix, roots
from fern_tide.core.scene.gltf.built import Built
from fern_tide.core.scene.gltf.container import Gltf, Json, items_of
from fern_tide.core.scene.gltf.packed import is_packed

WIDTH, HEIGHT = 320, 180
MOST_TRIANGLES = 3000
_SIDES = ((0, 1, 3, 2), (4, 5, 7, 6), (0, 1, 5, 4), (2, 3, 7, 6), (0, 2, 6, 4), (1, 3, 7, 5))
_BOX = np.array([corners for a, b, c, d in _SIDES for corners in ((a, b, c), (a, c, d))])
_LIGHT = np.array([0.35, 0.85, 0.4])


@dataclass
class _Surfaces:
    """Triangles in the world, shape (n, 3, 3), their colours and opacities, and the first camera with its place."""

    triangles: list[FloatArray] = field(default_factory=list)
    colours: list[FloatArray] = field(default_factory=list)
    opacities: list[FloatArray] = field(default_factory=list)
    camera: tuple[FloatArray, float] | None = None


def sketch(built: Built) -> str:
    """Draw a built scene as the text of an SVG, 320 by 180; a scene with nothing to see gives an empty picture."""
    gltf = built.closed()
    surfaces = _Surfaces()
    for root in roots(gltf):
        _walk(gltf, root, np.eye(4), surfaces)
    head = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {HEIGHT}">'
    ground = f'<rect width="{WIDTH}" height="{HEIGHT}" fill="#0e1b18"/>'
    return f"{head}{ground}{_painted(surfaces)}</svg>"


def _walk(gltf: Gltf, index: int, above: FloatArray, surfaces: _Surfaces) -> None:
    node = gltf.json["nodes"][index]
    world = above @ node_matrix(node)
    if "camera" in node and surfaces.camera is None:
        lens = gltf.json["cameras"][node["camera"]].get("perspective")
        surfaces.camera = (world, float(lens["yfov"])) if lens else None
    for primitive in items_of(gltf.json["meshes"][node["mesh"]], "primitives") if "mesh" in node else ():
        if primitive.get("mode", 4) == 4 and "POSITION" in primitive["attributes"]:
            _take(gltf, primitive, world, surfaces)
    for child in node.get("children", []):
        _walk(gltf, child, world, surfaces)


def _take(gltf: Gltf, primitive: Json, world: FloatArray, surfaces: _Surfaces) -> None:
    points, corners = _triangles(gltf, primitive)
    corners = corners[:: max(1, len(corners) // MOST_TRIANGLES)]
    placed = points @ world[:3, :3].T + world[:3, 3]
    material = gltf.json["materials"][primitive["material"]] if "material" in primitive else {}
    base = np.array(material.get("pbrMetallicRoughness", {}).get("baseColorFactor", [1, 1, 1, 1]), dtype=np.float64)
    glow = np.array(material.get("emissiveFactor", [0, 0, 0]), dtype=np.float64)
    triangles = placed[corners]
    normals = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    lengths = np.linalg.norm(normals, axis=1, keepdims=True)
    facing = np.abs((normals / np.where(lengths == 0, 1, lengths)) @ (_LIGHT / np.linalg.norm(_LIGHT)))
    surfaces.triangles.append(triangles)
    surfaces.opacities.append(np.full(len(triangles), base[3] if material.get("alphaMode") == "BLEND" else 1.0))
    surfaces.colours.append(base[:3] * (0.25 + 0.75 * facing[:, None]) + glow)


def _triangles(gltf: Gltf, primitive: Json) -> tuple[FloatArray, npt.NDArray[Any]]:
    """Give a mesh's points, shape (n, 3), and its triangles, shape (m, 3); of one that is packed, its box's."""
    accessor = gltf.json["accessors"][primitive["attributes"]["POSITION"]]
    if is_packed(gltf, accessor) and "min" in accessor:
        low, high = measured(np.array([accessor["min"], accessor["max"]]), accessor)
        return box_corners(low, high), _BOX
    points = measured(values_of(gltf, primitive["attributes"]["POSITION"]), accessor)
    order = values_of(gltf, primitive["indices"]) if "indices" in primitive else np.arange(len(points))
    return points, order[: len(order) // 3 * 3].reshape(-1, 3)


def _largest(flat: FloatArray) -> npt.NDArray[np.int64]:
    """List which triangles of shape (n, 3, 2) are drawn: where they are too many, the largest that face the eye."""
    if len(flat) <= MOST_TRIANGLES:
        return np.arange(len(flat))
    (ax, ay), (bx, by) = (flat[:, 1] - flat[:, 0]).T, (flat[:, 2] - flat[:, 0]).T
    areas = ay * bx - ax * by  # more than 0 for what faces the eye, since down counts downwards
    return np.sort(np.argsort(-areas, kind="stable")[:MOST_TRIANGLES])


def _painted(surfaces: _Surfaces) -> str:
    if not surfaces.triangles:
        return ""
    triangles, colours = np.concatenate(surfaces.triangles), np.concatenate(surfaces.colours)
    view, opening = surfaces.camera or in_front(triangles.reshape(-1, 3))
    seen = (triangles - view[:3, 3]) @ view[:3, :3]  # a camera looks along its own -z
    scale = HEIGHT / 2 / tan(opening / 2)
    depth = -seen[:, :, 2]
    ahead = (depth > 0.01).all(axis=1)
    seen, depth, colours = seen[ahead], depth[ahead], colours[ahead]
    clear = np.concatenate(surfaces.opacities)[ahead]
    flat = seen[:, :, :2] / depth[:, :, None] * scale * np.array([1, -1]) + np.array([WIDTH / 2, HEIGHT / 2])
    chosen = _largest(flat)
    order = chosen[np.argsort(-depth[chosen].mean(axis=1))]
    texts = colour_texts(to_srgb(np.clip(colours[order], 0, 1)).T) if len(order) else []
    shapes = (
        f'<path d="M{a[0]:.1f} {a[1]:.1f}L{b[0]:.1f} {b[1]:.1f}L{c[0]:.1f} {c[1]:.1f}Z" fill="{text}"{opacity}/>'
        for (a, b, c), text, opacity in zip(
            np.clip(flat[order], -2000, 2000),
            texts,
            ("" if share >= 1 else f' opacity="{share / 2:.2f}"' for share in clear[order]),
            strict=True,
        )
    )
    return "".join(shapes)

"""A 3D scene as USD: the same nodes, meshes, surfaces, lights and cameras as its glTF has."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.formats.channels import Moving, moving_channels
from fern_tide.core.formats.format import HandOff
from fern_tide.core.formats.profile import SpaceParams, Up
from fern_tide.core.formats.usd_meshes import mesh_prims
from fern_tide.core.formats.usd_pictures import Pictures
from fern_tide.core.formats.usd_shapes import STILL_JOINT, rigged, shape_names, share_lines, still_shares
from fern_tide.core.formats.usd_skins import Rig, motion_lines, rig_of, skeleton_lines
from fern_tide.core.formats.usd_surface import CARRIED, CARRIED_OF_MAPS, Surface, surface_rows
from fern_tide.core.formats.usd_text import (
    APERTURE,
    attribute,
    focal_length,
    light_kind,
    lights_of,
    prim,
    prim_name,
    samples,
    text_of,
    tuple_of,
)
from fern_tide.core.scene.gltf.boxes import node_matrix, roots
from fern_tide.core.scene.gltf.build import build
from fern_tide.core.scene.gltf.container import Gltf, Json, items_of
from fern_tide.core.scene.part import Form
from fern_tide.core.scene.scene import Part

_PLACES = {
    "translation": ("double3 xformOp:translate", [0.0, 0.0, 0.0]),
    "rotation": ("quatd xformOp:orient", [0.0, 0.0, 0.0, 1.0]),
    "scale": ("double3 xformOp:scale", [1.0, 1.0, 1.0]),
}
_CARRIED = re.compile(
    r"^/nodes/[^/]+/(translation|rotation|scale|weights)$"
    r"|^/extensions/KHR_lights_punctual/lights/[^/]+/(color|intensity)$"
    r"|^/cameras/[^/]+/perspective/yfov$"
    rf"|{CARRIED}"
)
_CARRIED_WITH_MAPS = re.compile(rf"{_CARRIED.pattern}|{CARRIED_OF_MAPS}")
_STOOD_UP = ["float xformOp:rotateX = 90", 'uniform token[] xformOpOrder = ["xformOp:rotateX"]']
"""With z up the whole turns as one, (x, y, z) to (x, -z, y): cameras and lights look along their own -z either way."""


def carries_property(part: Part, name: str) -> bool:
    """Say whether a property of a part shows in the file."""
    return any(name in channel.names and _CARRIED.match(channel.pointer) for channel in part.channels)


def carries_with_maps(part: Part, name: str) -> bool:
    """Say whether a property of a part shows in a file that textures go along with."""
    return any(name in channel.names and _CARRIED_WITH_MAPS.match(channel.pointer) for channel in part.channels)


@dataclass
class UsdScene:
    """A scene being written.

    Attributes:
        hand_off: what is handed off.
        params: what points up, and what lengths are counted in.
        gltf: the same as glTF: y up, in metres.
        pictures: of its textures; None where they cannot go along.
        moving: the channels that move, by their pointers.
    """

    hand_off: HandOff
    params: SpaceParams
    gltf: Gltf
    pictures: Pictures | None = None
    moving: Mapping[str, Moving] = field(default_factory=dict)
    _written: set[str] = field(default_factory=set)
    _waiting: dict[int, Rig] = field(default_factory=dict)

    @classmethod
    def of(cls, hand_off: HandOff, params: SpaceParams, *, with_maps: bool = False) -> UsdScene:
        """Build what is handed off, with the pictures of its textures or without; parts without a look stay behind."""
        targets = [curve.target for curve in hand_off.curves]
        built = build(
            hand_off.scene, files=hand_off.media.gltfs, moving=targets, leave_out=lambda part: not part.kind.looks
        )
        channels = [item.whole_frames(hand_off.n_frames) for item in moving_channels(hand_off, built)]
        carried = _CARRIED_WITH_MAPS if with_maps else _CARRIED
        moving = {one.pointer: one for one in channels if carried.match(one.pointer)}
        gltf = built.closed()
        return cls(hand_off, params, gltf, Pictures(gltf) if with_maps else None, moving)

    @cached_property
    def _above(self) -> dict[int, int]:
        """The node that each node lies in, of those that lie in one."""
        nodes = self.gltf.json.get("nodes", [])
        return {child: place for place, node in enumerate(nodes) for child in node.get("children", ())}

    @property
    def _metre(self) -> float:
        """How long a metre is in the file's unit."""
        return self.params.lengths.in_a_metre

    def text(self) -> str:
        """Give the file."""
        hand_off = self.hand_off
        fps = hand_off.rate.per_second
        head = [
            "#usda 1.0",
            "(",
            '    defaultPrim = "Scene"',
            f"    doc = {text_of(hand_off.name)}",
            f"    metersPerUnit = {1 / self._metre:.9g}",
            f"    upAxis = {text_of(self.params.up.upper())}",
            "    startTimeCode = 0",
            f"    endTimeCode = {max(0, hand_off.n_frames - 1)}",
            f"    timeCodesPerSecond = {fps:.9g}",
            f"    framesPerSecond = {fps:.9g}",
            ")",
            "",
        ]
        inside = [line for index in roots(self.gltf) for line in self._node(index)] + self._skinned()
        materials = range(len(items_of(self.gltf.json, "materials")))
        surfaces = [Surface(self.gltf.json, place, self._moved, self.pictures).lines() for place in materials]
        if surfaces:
            inside += prim("Scope", "Materials", [line for one in surfaces for line in one])
        inside += self._unseen()
        stands = _STOOD_UP if self.params.up is Up.Z else []
        return "\n".join([*head, *prim("Xform", "Scene", [*stands, *inside], about=['kind = "component"']), ""])

    def _unseen(self) -> list[str]:
        """Give what moves and is nowhere in the scene, as a light that no node has: its numbers go along, unseen."""
        lines: list[str] = []
        for pointer in self.moving:
            if pointer in self._written:
                continue
            kind, place = pointer.split("/")[-3:-1] if "/lights/" in pointer else pointer.split("/")[1:3]
            index = int(place)
            if kind == "nodes":
                while index in self._above:
                    index = self._above[index]
                lines += self._node(index) + self._skinned()
            else:
                inside = self._light(index) if kind == "lights" else self._camera(index)
                lines += prim("Xform", f"{kind}_{index}", inside)
        return prim("Xform", "unseen", ['token visibility = "invisible"', *lines]) if lines else []

    def _node(self, index: int) -> list[str]:
        node = self.gltf.json["nodes"][index]
        lines = self._place(index, node)
        if "mesh" in node:
            rig = rig_of(self.gltf, node, self._above)
            if rig is None:
                lines += self._mesh(index, node, None)
            else:
                self._waiting[index] = rig
        if "camera" in node:
            lines += self._camera(node["camera"])
        light = node.get("extensions", {}).get("KHR_lights_punctual", {}).get("light")
        if light is not None:
            lines += self._light(light)
        for child in node.get("children", ()):
            lines += self._node(child)
        name = str(node.get("name", "node"))
        return prim("Xform", prim_name(name, index), lines, about=[f"displayName = {text_of(name)}"])

    def rows_of(self, item: Moving, read: Mapping[str, FloatArray]) -> FloatArray | None:
        """Give a channel's numbers as glTF counts them out of those that were read; None where they are not there."""
        pointer = item.pointer
        if pointer.startswith("/materials/"):
            return surface_rows(pointer, read, document=self.gltf.json)
        rows = read.get(pointer)
        if rows is None:
            return None
        if item.channel.form is Form.ROTATION:
            return rows[[1, 2, 3, 0]]
        if pointer.endswith("/translation"):
            return rows / self._metre
        return 2 * np.arctan(APERTURE / 2 / rows) if pointer.endswith("yfov") else rows

    def _moved(self, pointer: str) -> FloatArray | None:
        """Give the numbers of a channel that moves, shape (width, frames)."""
        item = self.moving.get(pointer)
        if item is None:
            return None
        self._written.add(pointer)
        self.hand_off.progress(len(item.curves))
        return item.rows

    def _place(self, index: int, node: Json) -> list[str]:
        lines, ops = [], []
        if "matrix" in node:
            matrix = node_matrix(node).T.copy()  # of rows: the place is the last one
            matrix[3, :3] *= self._metre
            whole = ", ".join(tuple_of(row) for row in matrix.tolist())
            return [f"matrix4d xformOp:transform = ( {whole} )", 'uniform token[] xformOpOrder = ["xformOp:transform"]']
        for path, (name, still) in _PLACES.items():
            pointer = f"/nodes/{index}/{path}"
            rows = self._moved(pointer)
            if rows is None and path not in node:
                continue
            ops.append(name.split(" ")[1])
            if rows is not None:
                lines += samples(name, pointer, self._counted(path, rows))
                continue
            values = np.array(node.get(path, still), dtype=np.float64)[:, np.newaxis]
            lines.append(attribute(name, self._counted(path, values)[:, 0].tolist()))
        if ops:
            lines.append("uniform token[] xformOpOrder = [" + ", ".join(text_of(op) for op in ops) + "]")
        return lines

    def _counted(self, path: str, rows: FloatArray) -> FloatArray:
        """Give a place, turn or scale as the file counts it, shape (width, frames): quaternions are w, x, y, z."""
        if path == "rotation":
            return rows[[3, 0, 1, 2]]
        return rows * self._metre if path == "translation" else rows

    def _mesh(self, index: int, node: Json, rig: Rig | None) -> list[str]:
        mesh, pointer = self.gltf.json["meshes"][node["mesh"]], f"/nodes/{index}/weights"
        names, rows = shape_names(mesh), self._moved(pointer)
        shares = still_shares(node, mesh, len(names)) if rows is None else rows
        shaped = rows is not None or bool(shares.any())
        lines = mesh_prims(self.gltf, mesh, names=names if shaped else (), rig=rig, metre=self._metre)
        if rig is None and not shaped:
            return lines
        motion = share_lines(names, shares, None if rows is None else pointer) if shaped else []
        if rig is None:
            return rigged(lines, joints=STILL_JOINT, motion=motion)
        joints = skeleton_lines(self.gltf, rig, metre=self._metre)
        moved = motion_lines(self.gltf, rig, self.moving, metre=self._metre)
        return rigged(lines, joints=joints, motion=[*moved, *motion])

    def _skinned(self) -> list[str]:
        """Give the meshes that joints carry, of the nodes that were written since: where those are does not count."""
        lines = []
        while self._waiting:
            index, rig = self._waiting.popitem()
            node = self.gltf.json["nodes"][index]
            lines += prim(
                "Xform", prim_name(f"{node.get('name', 'node')} skinned", index), self._mesh(index, node, rig)
            )
        return lines

    def _camera(self, index: int) -> list[str]:
        camera = self.gltf.json["cameras"][index]
        lens = camera.get("perspective")
        if lens is None:
            return []
        pointer = f"/cameras/{index}/perspective/yfov"
        rows, name = self._moved(pointer), "float focalLength"
        angle = float(lens["yfov"])
        lines = (
            [attribute(name, [focal_length(angle)])]
            if rows is None
            else samples(name, pointer, APERTURE / 2 / np.tan(rows / 2))
        )
        wide = APERTURE * float(lens.get("aspectRatio", self.hand_off.scene.width / self.hand_off.scene.height))
        near, far = (float(lens.get(*end)) * self._metre for end in (("znear", 0.01), ("zfar", 1e5)))
        return prim(
            "Camera",
            "camera",
            [
                *lines,
                attribute("float verticalAperture", [APERTURE]),
                attribute("float horizontalAperture", [wide]),
                f"float2 clippingRange = ({near:.9g}, {far:.9g})",
            ],
        )

    def _light(self, index: int) -> list[str]:
        light = lights_of(self.gltf.json)[index]
        base, about = f"/extensions/KHR_lights_punctual/lights/{index}", []
        lines = self._number("float inputs:intensity", f"{base}/intensity", [float(light.get("intensity", 1.0))])
        lines += self._number("color3f inputs:color", f"{base}/color", light.get("color", [1.0, 1.0, 1.0]))
        if light_kind(light) == "SphereLight":
            lines += [attribute("float inputs:radius", [0.01 * self._metre]), "bool treatAsPoint = 1"]
        if light.get("type") == "spot":
            angle = float(np.degrees(light.get("spot", {}).get("outerConeAngle", np.pi / 4)))
            lines.append(attribute("float inputs:shaping:cone:angle", [angle]))
            about = ['prepend apiSchemas = ["ShapingAPI"]']
        return prim(light_kind(light), "light", lines, about=about)

    def _number(self, name: str, pointer: str, still: Any) -> list[str]:
        rows = self._moved(pointer)
        return [attribute(name, list(still))] if rows is None else samples(name, pointer, rows)

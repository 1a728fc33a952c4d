"""A small glTF file as another program would make it: a pot, a frond with morph targets, a lamp, a lens."""

from __future__ import annotations

import copy
import io
import json
import struct
from typing import Any

import numpy as np
from PIL import Image

from fern_tide.core.base.naming import Ids
from fern_tide.core.scene.gltf.parts import parts_of
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.scene import Scene, SceneFile

_POSITIONS = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], dtype="<f4")
_INDICES = np.array([0, 1, 2, 0, 2, 3], dtype="<u2")
_UNFURL = np.array([[0, 0, 0], [0, 0, 0], [0, 0.5, 0], [0, 0.5, 0]], dtype="<f4")
_BEND = np.array([[0, 0, 0], [0, 0, 0], [0.3, 0, 0], [0.3, 0, 0]], dtype="<f4")
_TIMES = np.array([0, 1], dtype="<f4")
_NODS = np.array([[0, 0, 0, 1], [0, 0.5**0.5, 0, 0.5**0.5]], dtype="<f4")
_CORNERS = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], dtype="<f4")


def _png() -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (2, 2), "#808080").save(out, "PNG")
    return out.getvalue()


_PNG = _png()


def _build() -> tuple[dict[str, Any], bytes]:
    binary, views = b"", []
    arrays = (_POSITIONS, _UNFURL, _BEND, _INDICES, _TIMES, _NODS, _CORNERS)
    for content in [*(array.tobytes() for array in arrays), _PNG]:
        views.append({"buffer": 0, "byteOffset": len(binary), "byteLength": len(content)})
        binary += content + b"\0" * (-len(content) % 4)
    bounds = {"min": [0, 0, 0], "max": [1, 1, 0]}
    accessors = [
        {"bufferView": 0, "componentType": 5126, "count": 4, "type": "VEC3", **bounds},
        {"bufferView": 1, "componentType": 5126, "count": 4, "type": "VEC3", "min": [0, 0, 0], "max": [0, 0.5, 0]},
        {
            "bufferView": 2,
            "componentType": 5126,
            "count": 4,
            "type": "VEC3",
            "min": [0, 0, 0],
            "max": [float(np.float32(0.3)), 0, 0],
        },
        {"bufferView": 3, "componentType": 5123, "count": 6, "type": "SCALAR"},
        {"bufferView": 4, "componentType": 5126, "count": 2, "type": "SCALAR", "min": [0], "max": [1]},
        {"bufferView": 5, "componentType": 5126, "count": 2, "type": "VEC4"},
        {"bufferView": 6, "componentType": 5126, "count": 4, "type": "VEC2"},
    ]
    transform = {"KHR_texture_transform": {"offset": [0.1, 0.2], "rotation": float(np.pi / 2), "scale": [1, 2]}}
    surface = {
        "baseColorFactor": [0.5, 0, 0, 0.5],
        "baseColorTexture": {"index": 0, "extensions": transform},
    }
    plain = {
        "asset": {"version": "2.0", "generator": "made by hand", "extras": {"kept": True}},
        "extensionsUsed": ["KHR_lights_punctual", "KHR_materials_emissive_strength", "KHR_texture_transform"],
        "extensions": {
            "KHR_lights_punctual": {
                "lights": [{"type": "spot", "name": "Glow", "intensity": 7, "spot": {"outerConeAngle": 0.5}}]
            }
        },
        "scene": 0,
        "scenes": [{"nodes": [0, 2, 3], "name": "Bench"}],
        "nodes": [
            {"name": "Pot", "translation": [1, 2, 3], "children": [1], "extras": {"note": "kept too"}},
            {
                "name": "Frond",
                "mesh": 0,
                "rotation": [0, 0, float(np.sin(np.pi / 12)), float(np.cos(np.pi / 12))],
                "scale": [1, 2, 1],
                "weights": [0.25, 0],
            },
            {"name": "Glow", "extensions": {"KHR_lights_punctual": {"light": 0}}},
            {"name": "Lens", "camera": 0, "translation": [0.5, 1.5, 5]},
        ],
        "meshes": [
            {
                "name": "Stem",
                "extras": {"targetNames": ["Unfurl"]},
                "weights": [0, 0],
                "primitives": [
                    {
                        "attributes": {"POSITION": 0, "TEXCOORD_0": 6},
                        "indices": 3,
                        "material": 0,
                        "targets": [{"POSITION": 1}, {"POSITION": 2}],
                    }
                ],
            }
        ],
        "materials": [
            {
                "name": "Leaf green",
                "pbrMetallicRoughness": surface,
                "alphaMode": "MASK",
                "alphaCutoff": 0.3,
                "emissiveFactor": [0, 1, 0],
                "extensions": {"KHR_materials_emissive_strength": {"emissiveStrength": 4}},
            }
        ],
        "textures": [{"source": 0}],
        "images": [{"bufferView": 7, "mimeType": "image/png"}],
        "cameras": [{"type": "perspective", "perspective": {"yfov": 1.0, "znear": 0.1}}],
        "animations": [
            {
                "name": "Nods",
                "samplers": [{"input": 4, "output": 5}],
                "channels": [{"sampler": 0, "target": {"node": 0, "path": "rotation"}}],
            }
        ],
        "accessors": accessors,
        "bufferViews": views,
        "buffers": [{"byteLength": len(binary)}],
    }
    return plain, binary


_PLAIN, _BINARY = _build()


def document() -> tuple[dict[str, Any], bytes]:
    """Give the file's JSON, to be changed at will, and its binary chunk."""
    return copy.deepcopy(_PLAIN), _BINARY


def glb(plain: dict[str, Any], binary: bytes) -> bytes:
    """Pack a GLB."""
    text = json.dumps(plain, separators=(",", ":"), ensure_ascii=False).encode()
    text += b" " * (-len(text) % 4)
    chunks = struct.pack("<II", len(text), 0x4E4F534A) + text + struct.pack("<II", len(binary), 0x004E4942) + binary
    return b"glTF" + struct.pack("<II", 2, 12 + len(chunks)) + chunks


GLB = glb(*document())


class Packing:
    """Numbers being packed into a binary chunk, each with a view and an accessor of its own."""

    def __init__(self) -> None:
        self.binary = b""
        self.views: list[dict[str, Any]] = []
        self.accessors: list[dict[str, Any]] = []

    def add(self, values: np.ndarray, kind: int, type: str, **more: Any) -> int:
        """Pack values, and give their accessor."""
        self.views.append({"buffer": 0, "byteOffset": len(self.binary), "byteLength": values.nbytes})
        self.binary += values.tobytes() + b"\0" * (-values.nbytes % 4)
        view = len(self.views) - 1
        self.accessors.append({"bufferView": view, "componentType": kind, "count": len(values), "type": type, **more})
        return len(self.accessors) - 1

    def points(self, values: np.ndarray) -> int:
        """Pack points with their bounds."""
        return self.add(values, 5126, "VEC3", min=values.min(axis=0).tolist(), max=values.max(axis=0).tolist())

    def glb(self, plain: dict[str, Any]) -> bytes:
        """Pack a GLB of a document that names the accessors."""
        packed = {"accessors": self.accessors, "bufferViews": self.views, "buffers": [{"byteLength": len(self.binary)}]}
        return glb({**plain, **packed}, self.binary)


def model(file: SceneFile, content: bytes = GLB) -> Scene:
    """Give a scene of it."""
    return Scene(name="s", kind="3d", files=(file,), parts=parts_of(read_gltf(content).json, file, ids=Ids()))

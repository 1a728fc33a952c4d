"""Surfaces of a glTF file as USD has them, with the pictures laid over them (UsdPreviewSurface 2.6, glTF 2.0).

A picture's numbers are sampled, then scaled and biased, which is where glTF's factors go. Its origin is the lower
left, glTF's the upper left: with S the scale, r the turn and o the offset of KHR_texture_transform, a texture transform
of USD scales and turns alike, and moves by (o_x + S_y sin r, 1 - o_y - S_y cos r).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.formats.usd_pictures import Pictures, item_at
from fern_tide.core.formats.usd_text import attribute, prim, primvar, samples, text_of
from fern_tide.core.scene.gltf.container import Json
from fern_tide.core.scene.gltf.parts import at
from fern_tide.core.scene.parts.gltf_material import TEXTURES

MATERIALS = "/Scene/Materials"
_PLAIN = "pbrMetallicRoughness"
_TRANSFORM = "extensions/KHR_texture_transform"
_WRAPS = {"33071": "clamp", "33648": "mirror"}
CARRIED = r"^/materials/[^/]+/(pbrMetallicRoughness/(baseColorFactor|metallicFactor|roughnessFactor)|emissiveFactor)$"
"""What moves in a material, by where it lies in the glTF file."""
CARRIED_OF_MAPS = (
    r"^/materials/[^/]+/(normalTexture/scale|occlusionTexture/strength"
    rf"|(pbrMetallicRoughness/)?\w+Texture/{_TRANSFORM}/(offset|rotation|scale))$"
)
"""The same of what only its textures have."""
Moved = Callable[[str], FloatArray | None]
"""Gives the numbers of a channel that moves, shape (width, frames), by where it lies in the glTF file; else None."""


@dataclass
class Surface:
    """A material being written.

    Attributes:
        document: the glTF file's JSON.
        place: the material's, in it.
        moved: see Moved.
        pictures: what takes the pictures in; None where there is no package for them.
    """

    document: Json
    place: int
    moved: Moved
    pictures: Pictures | None

    @property
    def path(self) -> str:
        """Where it lies in the stage."""
        return f"{MATERIALS}/material_{self.place}"

    @property
    def _base(self) -> str:
        return f"/materials/{self.place}"

    @cached_property
    def _material(self) -> Json:
        material: Json = self.document["materials"][self.place]
        return material

    def lines(self) -> list[str]:
        """Give it as a prim."""
        inputs, maps = ['uniform token info:id = "UsdPreviewSurface"'], list[str]()
        for some, more in (self._colour(), self._emission(), self._metal(), self._relief(), self._shade()):
            inputs += some
            maps += more
        shader = prim("Shader", "surface", [*inputs, "token outputs:surface"])
        surface = f"token outputs:surface.connect = <{self.path}/surface.outputs:surface>"
        return prim("Material", f"material_{self.place}", [surface, *shader, *maps])

    def _colour(self) -> tuple[list[str], list[str]]:
        pointer = f"{self._base}/{_PLAIN}/baseColorFactor"
        factor = [float(one) for one in self._material.get(_PLAIN, {}).get("baseColorFactor", [1.0] * 4)]
        rows, mode = self.moved(pointer), self._material.get("alphaMode", "OPAQUE")
        clear = mode != "OPAQUE"
        scale = _still("float4 inputs:scale", factor) if rows is None else samples("float4 inputs:scale", pointer, rows)
        is_seen, maps = self._map("base", scale, colour="sRGB")
        if is_seen:
            lines = [self._from("color3f inputs:diffuseColor", "base", "rgb")]
            opacity = self._from("float inputs:opacity", "base", "a")
            lines += [opacity if clear else attribute("float inputs:opacity", [1.0])]
        elif rows is None:
            lines = _still("color3f inputs:diffuseColor", factor[:3])
            lines += _still("float inputs:opacity", [factor[3] if clear else 1.0])
        else:
            lines = samples("color3f inputs:diffuseColor", f"{pointer}:rgb", rows[:3])
            lines += samples("float inputs:opacity", f"{pointer}:a", rows[3:])
        if mode == "MASK":
            lines += _still("float inputs:opacityThreshold", [float(self._material.get("alphaCutoff", 0.5))])
        return lines, maps

    def _emission(self) -> tuple[list[str], list[str]]:
        pointer, strength = f"{self._base}/emissiveFactor", emission_strength(self._material)
        factor = [strength * float(one) for one in self._material.get("emissiveFactor", [0.0] * 3)]
        rows = self.moved(pointer)
        rows = None if rows is None else rows * strength
        whole = None if rows is None else np.vstack([rows, np.ones(rows.shape[1])])
        name = "float4 inputs:scale"
        scale = _still(name, [*factor, 1.0]) if whole is None else samples(name, pointer, whole)
        is_seen, maps = self._map("emissive", scale, colour="sRGB")
        if is_seen:
            return [self._from("color3f inputs:emissiveColor", "emissive", "rgb")], maps
        name = "color3f inputs:emissiveColor"
        return (_still(name, factor) if rows is None else samples(name, pointer, rows)), maps

    def _metal(self) -> tuple[list[str], list[str]]:
        plain, inside = self._material.get(_PLAIN, {}), f"{self._base}/{_PLAIN}"
        still = {name: float(plain.get(f"{name}Factor", 1.0)) for name in ("metallic", "roughness")}
        rows = {name: self.moved(f"{inside}/{name}Factor") for name in still}
        moving = next((one for one in rows.values() if one is not None), None)
        name = "float4 inputs:scale"
        if moving is None:
            scale = _still(name, [1.0, still["roughness"], still["metallic"], 1.0])
        else:
            ones = np.ones((1, moving.shape[1]))
            each = {one: ones * still[one] if row is None else row for one, row in rows.items()}
            whole = np.vstack([ones, each["roughness"], each["metallic"], ones])
            scale = samples(name, f"{inside}/metallicRoughnessTexture", whole)
        is_seen, maps = self._map("rough", scale)
        if is_seen:
            ends = (("metallic", "b"), ("roughness", "g"))
            return [self._from(f"float inputs:{one}", "rough", end) for one, end in ends], maps
        lines = []
        for one, row in rows.items():
            name = f"float inputs:{one}"
            lines += _still(name, [still[one]]) if row is None else samples(name, f"{inside}/{one}Factor", row)
        return lines, maps

    def _relief(self) -> tuple[list[str], list[str]]:
        pointer, info = f"{self._base}/normalTexture/scale", self._material.get("normalTexture", {})
        rows = self.moved(pointer)
        deep = np.array([[float(info.get("scale", 1.0))]]) if rows is None else rows
        one, none = np.ones_like(deep), np.zeros_like(deep)
        scale, bias = np.vstack([2 * deep, 2 * deep, 2 * one, one]), np.vstack([-deep, -deep, -one, none])
        is_seen, maps = self._map("normal", _scaled(pointer, scale, bias, stands=rows is None))
        return [self._from("normal3f inputs:normal", "normal", "rgb")] if is_seen else [], maps

    def _shade(self) -> tuple[list[str], list[str]]:
        pointer, info = f"{self._base}/occlusionTexture/strength", self._material.get("occlusionTexture", {})
        rows = self.moved(pointer)
        much = np.array([[float(info.get("strength", 1.0))]]) if rows is None else rows
        one, none = np.ones_like(much), np.zeros_like(much)
        scale, bias = np.vstack([much, much, much, one]), np.vstack([one - much, one - much, one - much, none])
        is_seen, maps = self._map("occlusion", _scaled(pointer, scale, bias, stands=rows is None))
        return [self._from("float inputs:occlusion", "occlusion", "r")] if is_seen else [], maps

    def _from(self, name: str, prim_name: str, output: str) -> str:
        return f"{name}.connect = <{self.path}/{prim_name}.outputs:{output}>"

    def _map(self, key: str, scaled: list[str], *, colour: str = "raw") -> tuple[bool, list[str]]:
        """Give one of its textures as prims, and whether it is seen: only what has a picture in the package is."""
        place, _ = TEXTURES[key]
        info = at(self._material, place)
        if info is None or self.pictures is None:
            return False, []
        moves = at(info, _TRANSFORM) or {}
        coordinates = moves.get("texCoord", info.get("texCoord", 0))
        reader = [
            'uniform token info:id = "UsdPrimvarReader_float2"',
            f"string inputs:varname = {text_of(primvar(coordinates if isinstance(coordinates, int) else 0))}",
            "float2 outputs:result",
        ]
        lines = prim("Shader", f"{key}_coordinates", reader)
        placed = self._placed(key, f"{self._base}/{place}/{_TRANSFORM}", moves)
        name = self.pictures.name_of(info.get("index"))
        texture = ['uniform token info:id = "UsdUVTexture"']
        if name is not None:
            texture += [f"asset inputs:file = @{name}@", f"token inputs:sourceColorSpace = {text_of(colour)}"]
        one = item_at(self.document, "textures", info.get("index"))
        sampler = item_at(self.document, "samplers", one.get("sampler"))
        wraps = {name: _WRAPS.get(str(sampler.get(name)), "repeat") for name in ("wrapS", "wrapT")}
        texture += [f"token inputs:{name} = {text_of(wrap)}" for name, wrap in wraps.items()]
        texture += [*scaled, self._from("float2 inputs:st", f"{key}_{'placed' if placed else 'coordinates'}", "result")]
        texture += ["float3 outputs:rgb", *(f"float outputs:{output}" for output in "rgba")]
        return name is not None, [*lines, *placed, *prim("Shader", key, texture)]

    def _placed(self, key: str, base: str, still: Json) -> list[str]:
        """Give the transform of a texture as a prim; nothing where it has none."""
        names = {"offset": [0.0, 0.0], "rotation": 0.0, "scale": [1.0, 1.0]}
        rows = {name: self.moved(f"{base}/{name}") for name in names}
        moving = next((one for one in rows.values() if one is not None), None)
        if moving is None and not still.keys() & names.keys():
            return []
        frames = 1 if moving is None else moving.shape[1]
        offset, turn, scale = (
            np.tile(np.reshape(still.get(name, none), (-1, 1)).astype(np.float64), frames) if row is None else row
            for (name, none), row in zip(names.items(), rows.values(), strict=True)
        )
        sine, cosine = np.sin(turn[0]), np.cos(turn[0])
        moved = np.stack([offset[0] + scale[1] * sine, 1 - offset[1] - scale[1] * cosine])
        lines = [
            'uniform token info:id = "UsdTransform2d"',
            self._from("float2 inputs:in", f"{key}_coordinates", "result"),
        ]
        for kind, name, values in (
            ("float2 inputs:scale", "scale", scale),
            ("float inputs:rotation", "rotation", np.degrees(turn)),
            ("float2 inputs:translation", "offset", moved),
        ):
            lines += _still(kind, values[:, 0].tolist()) if moving is None else samples(kind, f"{base}/{name}", values)
        return prim("Shader", f"{key}_placed", [*lines, "float2 outputs:result"])


def emission_strength(material: Json) -> float:
    """Say how strongly a material shines as its file has it; 0 is all but 0, so that its colour can be read back."""
    strength = (at(material, "extensions/KHR_materials_emissive_strength") or {}).get("emissiveStrength", 1.0)
    return max(float(strength), 1e-6)


def _still(name: str, values: Sequence[float]) -> list[str]:
    return [attribute(name, values)]


def _scaled(pointer: str, scale: FloatArray, bias: FloatArray, *, stands: bool) -> list[str]:
    """Give how a picture's numbers are scaled, and what is added then, shape (4, frames) each."""
    names = ("float4 inputs:scale", "float4 inputs:bias")
    if stands:
        return [attribute(name, rows[:, 0].tolist()) for name, rows in zip(names, (scale, bias), strict=True)]
    return [*samples(names[0], pointer, scale), *samples(names[1], f"{pointer}:bias", bias)]


def surface_rows(pointer: str, read: Mapping[str, FloatArray], *, document: Json) -> FloatArray | None:
    """Give a material's channel as glTF counts it out of the numbers that were read; None where they are not there."""
    owner, _, name = pointer.rpartition("/")
    rows = read.get(pointer)
    if name == "baseColorFactor" and rows is None:
        parts = [read.get(f"{pointer}:{end}") for end in ("rgb", "a")]
        return None if parts[0] is None or parts[1] is None else np.concatenate([parts[0], parts[1]])
    if name in {"roughnessFactor", "metallicFactor"} and rows is None:
        whole = read.get(f"{owner}/metallicRoughnessTexture")
        first = 1 if name == "roughnessFactor" else 2
        return None if whole is None else whole[first : first + 1]
    if rows is None:
        return None
    if owner.endswith(_TRANSFORM):
        return _of_transform(owner, name, read)
    if name == "emissiveFactor":
        return rows[:3] / emission_strength(document["materials"][int(pointer.split("/")[2])])
    if name == "scale":
        return rows[:1] / 2
    return rows[:1] if name == "strength" else rows


def _of_transform(owner: str, name: str, read: Mapping[str, FloatArray]) -> FloatArray:
    """Give one of the channels of a texture's transform; all three were written."""
    moved, turn, scale = (read[f"{owner}/{one}"] for one in ("offset", "rotation", "scale"))
    turn = np.radians(turn)
    if name == "offset":
        return np.stack([moved[0] - scale[1] * np.sin(turn[0]), 1 - moved[1] - scale[1] * np.cos(turn[0])])
    return turn if name == "rotation" else scale

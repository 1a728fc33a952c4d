"""The numbers of materials, lights and cameras of a glTF file, checked before anything uses them."""

from __future__ import annotations

from collections.abc import Mapping
from math import isfinite

from fern_tide.core.scene.gltf.container import Json, items_of, listed, refuse
from fern_tide.core.scene.parts.gltf_material import TEXTURES

_MOVED = {"offset": 2, "rotation": 0, "scale": 2}
_MATERIAL = {
    "pbrMetallicRoughness/baseColorFactor": 4,
    "pbrMetallicRoughness/metallicFactor": 0,
    "pbrMetallicRoughness/roughnessFactor": 0,
    "emissiveFactor": 3,
    "alphaCutoff": 0,
    "extensions/KHR_materials_emissive_strength/emissiveStrength": 0,
    "normalTexture/scale": 0,
    "occlusionTexture/strength": 0,
} | {
    f"{place}/extensions/KHR_texture_transform/{name}": width
    for place, _ in TEXTURES.values()
    for name, width in _MOVED.items()
}
_LIGHT = {"color": 3, "intensity": 0, "range": 0, "spot/innerConeAngle": 0, "spot/outerConeAngle": 0}
_CAMERA = {"perspective/yfov": 0, "orthographic/xmag": 0, "orthographic/ymag": 0}
"""How many numbers each place holds, 0 for one that is not in a list."""


def lights(document: Json) -> list[Json]:
    """Give a document's lights (KHR_lights_punctual)."""
    return items_of(document.get("extensions", {}).get("KHR_lights_punctual", {}), "lights")


def check_looks(document: Json) -> None:
    """Check the numbers of materials, lights and cameras, and the weights of meshes and nodes."""
    for material in listed(document, "materials"):
        _check_places(material, _MATERIAL, "a material")
    for light in listed(document.get("extensions", {}).get("KHR_lights_punctual", {}), "lights"):
        if light.get("type") not in {"point", "spot", "directional"}:
            raise refuse("a light is of no known type")
        _check_places(light, _LIGHT, "a light")
    for camera in listed(document, "cameras"):
        needed = {"perspective": ("yfov",), "orthographic": ("xmag", "ymag")}.get(str(camera.get("type")))
        if needed is None or any(name not in camera[camera["type"]] for name in needed):
            raise refuse("a camera is of no known type")
        _check_places(camera, _CAMERA, "a camera")
    for owner in listed(document, "nodes") + listed(document, "meshes"):
        weights = owner.get("weights", [])
        check_numbers(weights, len(weights), "weights")


def _check_places(owner: Json, places: Mapping[str, int], what: str) -> None:
    for place, width in places.items():
        *way, last = place.split("/")
        inside = owner
        for name in way:
            inside = inside.get(name, {})
            if not isinstance(inside, dict):
                raise refuse(f"{what} has a {name} that is no object")
        if last in inside:
            check_numbers(inside[last] if width else [inside[last]], width or 1, f"{what}, {last},")


def check_numbers(values: object, width: int, what: str) -> None:
    """Refuse what is no list of so many finite numbers."""
    if not isinstance(values, list) or len(values) != width:
        raise refuse(f"{what} has not {width} numbers")
    if not all(
        isinstance(v, (int, float)) and not isinstance(v, bool) and isfinite(v) and abs(v) < 1e9 for v in values
    ):
        raise refuse(f"{what} holds a number that is none")

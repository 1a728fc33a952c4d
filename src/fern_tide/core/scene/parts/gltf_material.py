"""glTF material: one material of a 3D scene that was brought in."""

from __future__ import annotations

from functools import cache
from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import SURFACE_CHANNELS, Channel, Form, PartKind
from fern_tide.core.scene.properties import SURFACE, Property

TEXTURES = {
    "base": ("pbrMetallicRoughness/baseColorTexture", "Colour map"),
    "rough": ("pbrMetallicRoughness/metallicRoughnessTexture", "Roughness map"),
    "normal": ("normalTexture", "Relief map"),
    "occlusion": ("occlusionTexture", "Shade map"),
    "emissive": ("emissiveTexture", "Emission map"),
}
"""The textures that a material can have: where each lies in it, and what people read."""


class GltfMaterialParams(Params):
    """Which material of which file, and what it has beyond the plain."""

    file: Annotated[str, unit("", "The file.", kind="file")] = ""
    index: Annotated[int, Field(ge=0), unit("", "The material's place in the file.")] = 0
    has: Annotated[str, Field(max_length=200), unit("", "Cutoff and textures.", kind="given")] = ""


@cache
def _properties(has: str) -> tuple[Property, ...]:
    properties: list[Property] = []
    words = has.split()
    if "cutoff" in words:
        properties.append(Property("cutoff", "Alpha cutoff", default=0.5, low=0.0, high=1.0, swing=0.4))
    for key, (_, label) in TEXTURES.items():
        if key in words:
            if key == "normal":
                properties.append(Property("relief", "Relief", default=1.0, low=0.0, swing=1.0))
            if key == "occlusion":
                properties.append(Property("shade", "Shade", default=1.0, low=0.0, high=1.0, swing=-0.6))
            properties += [
                Property(f"{key}_across", f"{label} across", swing=0.5),
                Property(f"{key}_down", f"{label} down", swing=0.5),
                Property(f"{key}_turn", f"{label} turn", "°", step=0.5, swing=30.0),
                Property(f"{key}_wide", f"{label} width", "x", default=1.0, swing=0.5),
                Property(f"{key}_tall", f"{label} height", "x", default=1.0, swing=0.5),
            ]
    return tuple(properties)


def more(params: GltfMaterialParams) -> tuple[Property, ...]:
    """Give what it has beyond the plain."""
    return _properties(params.has)


def more_channels(params: GltfMaterialParams) -> tuple[Channel, ...]:
    """Say where what it has beyond the plain shows."""
    base, channels = "/materials/{material}/", list[Channel]()
    words = params.has.split()
    if "cutoff" in words:
        channels.append(Channel(base + "alphaCutoff", ("cutoff",), Form.NUMBER))
    if "normal" in words:
        channels.append(Channel(base + "normalTexture/scale", ("relief",), Form.NUMBER))
    if "occlusion" in words:
        channels.append(Channel(base + "occlusionTexture/strength", ("shade",), Form.NUMBER))
    for key, (place, _) in TEXTURES.items():
        if key in words:
            transform = f"{base}{place}/extensions/KHR_texture_transform/"
            channels += [
                Channel(transform + "offset", (f"{key}_across", f"{key}_down"), Form.PAIR),
                Channel(transform + "rotation", (f"{key}_turn",), Form.RADIANS),
                Channel(transform + "scale", (f"{key}_wide", f"{key}_tall"), Form.PAIR),
            ]
    return tuple(channels)


KIND = PartKind(
    id="gltf_material",
    label="Material",
    help="One material of a 3D scene that was brought in.",
    params=GltfMaterialParams,
    in_file="material",
    properties=SURFACE,
    space="3d",
    offered=False,
    more=more,
    channels=SURFACE_CHANNELS,
    more_channels=more_channels,
)

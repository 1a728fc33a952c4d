"""glTF light: one light of a 3D scene that was brought in."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import CONE_CHANNELS, LIGHT_CHANNELS, RANGE_CHANNEL, Channel, PartKind
from fern_tide.core.scene.properties import CONE, LIGHT, RANGE, SUNLIGHT, Property


class GltfLightParams(Params):
    """Which light of which file, and of what type it is."""

    file: Annotated[str, unit("", "The file.", kind="file")] = ""
    index: Annotated[int, Field(ge=0), unit("", "The light's place in the file.")] = 0
    type: Annotated[str, Field(pattern="^(point|spot|directional)$"), unit("", "Its type.", kind="given")] = "point"


def more(params: GltfLightParams) -> tuple[Property, ...]:
    """Give what a light of its type has."""
    if params.type == "directional":
        return SUNLIGHT
    return (*LIGHT, RANGE, *(CONE if params.type == "spot" else ()))


def more_channels(params: GltfLightParams) -> tuple[Channel, ...]:
    """Say where what its type has beyond others shows."""
    if params.type == "directional":
        return ()
    return (RANGE_CHANNEL, *(CONE_CHANNELS if params.type == "spot" else ()))


KIND = PartKind(
    id="gltf_light",
    label="Light",
    help="One light of a 3D scene that was brought in.",
    params=GltfLightParams,
    in_file="light",
    space="3d",
    offered=False,
    more=more,
    channels=LIGHT_CHANNELS,
    more_channels=more_channels,
)

"""glTF file: a 3D scene that was brought in, or what it holds of one kind; its nodes and the like are parts inside."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import PLACE_CHANNELS, Channel, PartKind
from fern_tide.core.scene.properties import PLACE_3D, Property


class GltfFileParams(Params):
    """Which file."""

    file: Annotated[str, unit("", "The file.", kind="file")] = ""
    holds: Annotated[str, Field(max_length=20), unit("", "What is inside.", kind="given")] = "all"


def more(params: GltfFileParams) -> tuple[Property, ...]:
    """Give where the whole file stands; what it holds of one kind stands nowhere."""
    return PLACE_3D if params.holds == "all" else ()


def more_channels(params: GltfFileParams) -> tuple[Channel, ...]:
    """Say where its place shows: at a node that all of the file lies in."""
    return PLACE_CHANNELS if params.holds == "all" else ()


KIND = PartKind(
    id="gltf_file",
    label="glTF file",
    help="A 3D scene that was brought in; its nodes, materials, lights and cameras are parts inside it.",
    params=GltfFileParams,
    in_file="file",
    space="3d",
    offered=False,
    more=more,
    more_channels=more_channels,
    whole_file=lambda params: params.holds == "all",
)

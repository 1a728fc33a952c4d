"""glTF file: a 3D scene that was brought in, or what it holds of one kind; its nodes and the like are parts inside."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import PartKind


class GltfFileParams(Params):
    """Which file."""

    file: Annotated[str, unit("", "The file.", kind="file")] = ""
    holds: Annotated[str, Field(max_length=20), unit("", "What is inside.", kind="given")] = "all"


KIND = PartKind(
    id="gltf_file",
    label="glTF file",
    help="A 3D scene that was brought in; its nodes, materials, lights and cameras are parts inside it.",
    params=GltfFileParams,
    in_file="file",
    space="3d",
    offered=False,
    whole_file=lambda params: params.holds == "all",
)

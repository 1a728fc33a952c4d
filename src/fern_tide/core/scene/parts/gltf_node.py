"""glTF node: one node of a 3D scene that was brought in."""

from __future__ import annotations

from functools import cache
from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.gltf.surfaces import triangles_of_node
from fern_tide.core.scene.part import PLACE_CHANNELS, Channel, Form, PartKind
from fern_tide.core.scene.properties import PLACE_3D, Property


class GltfNodeParams(Params):
    """Which node of which file, the names of its morph targets, a line each, and whether shapers can take its mesh."""

    file: Annotated[str, unit("", "The file.", kind="file")] = ""
    index: Annotated[int, Field(ge=0), unit("", "The node's place in the file.")] = 0
    shapes: Annotated[str, Field(max_length=40_000), unit("", "Its morph targets.", kind="given")] = ""
    vertices: Annotated[
        int, Field(ge=0, le=10_000_000), unit("", "Of its mesh, where that can be shaped.", kind="given")
    ] = 0


@cache
def _shapes(names: str) -> tuple[Property, ...]:
    return tuple(
        Property(f"shape_{place}", name, "", low=0.0, high=1.0, swing=1.0)
        for place, name in enumerate(names.split("\n") if names else ())
    )


def more(params: GltfNodeParams) -> tuple[Property, ...]:
    """Give the weights of its morph targets."""
    return _shapes(params.shapes)


def more_channels(params: GltfNodeParams) -> tuple[Channel, ...]:
    """Say where the weights show."""
    names = tuple(item.id for item in more(params))
    return (Channel("/nodes/{node}/weights", names, Form.WEIGHTS),) if names else ()


def faces(media: str, params: GltfNodeParams) -> FloatArray:
    """Give the corners of its mesh's triangles."""
    return triangles_of_node(media, params.index)


KIND = PartKind(
    id="gltf_node",
    label="Node",
    help="One node of a 3D scene that was brought in.",
    params=GltfNodeParams,
    in_file="node",
    properties=PLACE_3D,
    space="3d",
    offered=False,
    more=more,
    channels=PLACE_CHANNELS,
    more_channels=more_channels,
    holds=True,
    vertices=lambda params: params.vertices,
    faces=faces,
)

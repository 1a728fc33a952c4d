"""glTF camera: one camera of a 3D scene that was brought in."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import LENS_CHANNELS, Channel, Form, PartKind
from fern_tide.core.scene.properties import LENS, Property

_WIDE = (
    Property("half_width", "Half width", "m", default=1.0, low=0.001, step=0.05, swing=0.3),
    Property("half_height", "Half height", "m", default=1.0, low=0.001, step=0.05, swing=0.3),
)


class GltfCameraParams(Params):
    """Which camera of which file, and of what type it is."""

    file: Annotated[str, unit("", "The file.", kind="file")] = ""
    index: Annotated[int, Field(ge=0), unit("", "The camera's place in the file.")] = 0
    type: Annotated[str, Field(pattern="^(perspective|orthographic)$"), unit("", "Its type.", kind="given")] = (
        "perspective"
    )


def more(params: GltfCameraParams) -> tuple[Property, ...]:
    """Give what a camera of its type has."""
    return LENS if params.type == "perspective" else _WIDE


def more_channels(params: GltfCameraParams) -> tuple[Channel, ...]:
    """Say where what its type has shows."""
    if params.type == "perspective":
        return LENS_CHANNELS
    place = "/cameras/{camera}/orthographic/"
    return (
        Channel(place + "xmag", ("half_width",), Form.NUMBER),
        Channel(place + "ymag", ("half_height",), Form.NUMBER),
    )


KIND = PartKind(
    id="gltf_camera",
    label="Camera",
    help="One camera of a 3D scene that was brought in.",
    params=GltfCameraParams,
    in_file="camera",
    space="3d",
    offered=False,
    more=more,
    more_channels=more_channels,
)

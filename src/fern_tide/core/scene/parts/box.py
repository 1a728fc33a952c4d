"""Box: a block with six flat sides."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.mesh import Mesh, box
from fern_tide.core.scene.part import SOLID_CHANNELS, PartKind
from fern_tide.core.scene.properties import PLACE_3D, SURFACE


class BoxParams(Params):
    """Its size, in metres."""

    width: Annotated[float, Field(gt=0), unit("m", "How wide it is.", step=0.05)] = 1.0
    height: Annotated[float, Field(gt=0), unit("m", "How tall it is.", step=0.05)] = 1.0
    depth: Annotated[float, Field(gt=0), unit("m", "How deep it is.", step=0.05)] = 1.0


def solid(params: BoxParams) -> Mesh:
    """Give its mesh; its base is on y = 0."""
    return box(params.width, params.height, params.depth)


KIND = PartKind(
    id="box",
    label="Box",
    help="A block with six flat sides.",
    params=BoxParams,
    properties=PLACE_3D + SURFACE,
    space="3d",
    solid=solid,
    channels=SOLID_CHANNELS,
)

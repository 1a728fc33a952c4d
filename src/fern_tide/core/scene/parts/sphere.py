"""Sphere: a ball."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.mesh import Mesh, turned
from fern_tide.core.scene.part import SOLID_CHANNELS, PartKind
from fern_tide.core.scene.properties import PLACE_3D, SURFACE


class SphereParams(Params):
    """Its size, in metres."""

    radius: Annotated[float, Field(gt=0), unit("m", "From its middle to its skin.", step=0.05)] = 0.5
    around: Annotated[int, Field(ge=6, le=128), unit("", "How many sides its middle has.")] = 32


def solid(params: SphereParams) -> Mesh:
    """Give its mesh; its base is on y = 0."""
    angles = np.linspace(np.pi / 2, -np.pi / 2, params.around // 2 + 1)
    normals = np.stack([np.cos(angles), np.sin(angles)], axis=1)
    return turned(normals * params.radius + np.array([0.0, params.radius]), normals, around=params.around)


KIND = PartKind(
    id="sphere",
    label="Sphere",
    help="A ball.",
    params=SphereParams,
    properties=PLACE_3D + SURFACE,
    space="3d",
    solid=solid,
    channels=SOLID_CHANNELS,
)

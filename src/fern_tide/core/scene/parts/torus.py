"""Torus: a ring."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.mesh import Mesh, turned
from fern_tide.core.scene.part import SOLID_CHANNELS, PartKind
from fern_tide.core.scene.properties import PLACE_3D, SURFACE


class TorusParams(Params):
    """Its size, in metres."""

    radius: Annotated[float, Field(gt=0), unit("m", "From its middle to the middle of the ring.", step=0.05)] = 0.5
    thickness: Annotated[float, Field(gt=0), unit("m", "Of the ring.", step=0.05)] = 0.3
    around: Annotated[int, Field(ge=6, le=128), unit("", "How many pieces the ring has.")] = 48


def solid(params: TorusParams) -> Mesh:
    """Give its mesh; its base is on y = 0."""
    angles = np.linspace(np.pi, -np.pi, 25)
    normals = np.stack([np.cos(angles), np.sin(angles)], axis=1)
    middle = np.array([params.radius, params.thickness / 2])
    return turned(normals * params.thickness / 2 + middle, normals, around=params.around)


KIND = PartKind(
    id="torus",
    label="Torus",
    help="A ring.",
    params=TorusParams,
    properties=PLACE_3D + SURFACE,
    space="3d",
    solid=solid,
    channels=SOLID_CHANNELS,
)

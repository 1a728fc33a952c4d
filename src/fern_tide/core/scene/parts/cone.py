"""Cone: a round body that comes to a point."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.mesh import Mesh, turned
from fern_tide.core.scene.part import SOLID_CHANNELS, PartKind
from fern_tide.core.scene.properties import PLACE_3D, SURFACE


class ConeParams(Params):
    """Its size, in metres."""

    radius: Annotated[float, Field(gt=0), unit("m", "Of its base.", step=0.05)] = 0.5
    height: Annotated[float, Field(gt=0), unit("m", "How tall it is.", step=0.05)] = 1.0
    around: Annotated[int, Field(ge=3, le=128), unit("", "How many sides it has.")] = 32


def solid(params: ConeParams) -> Mesh:
    """Give its mesh; its base is on y = 0."""
    r, h = params.radius, params.height
    slope = np.array([h, r]) / np.hypot(h, r)
    profile = np.array([[0, h], [r, 0], [r, 0], [0, 0]], dtype=float)
    normals = np.array([slope, slope, [0, -1], [0, -1]], dtype=float)
    return turned(profile, normals, around=params.around)


KIND = PartKind(
    id="cone",
    label="Cone",
    help="A round body that comes to a point.",
    params=ConeParams,
    properties=PLACE_3D + SURFACE,
    space="3d",
    solid=solid,
    channels=SOLID_CHANNELS,
)

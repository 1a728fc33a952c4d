"""Plane: a flat sheet that lies on the ground."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.mesh import Mesh
from fern_tide.core.scene.part import SOLID_CHANNELS, PartKind
from fern_tide.core.scene.properties import PLACE_3D, SURFACE


class PlaneParams(Params):
    """Its size, in metres."""

    width: Annotated[float, Field(gt=0), unit("m", "How wide it is.", step=0.05)] = 1.0
    depth: Annotated[float, Field(gt=0), unit("m", "How deep it is.", step=0.05)] = 1.0


def solid(params: PlaneParams) -> Mesh:
    """Give its mesh; its base is on y = 0."""
    w, d = params.width / 2, params.depth / 2
    positions = np.array([[-w, 0, d], [w, 0, d], [w, 0, -d], [-w, 0, -d]])
    normals = np.tile(np.array([0.0, 1.0, 0.0]), (4, 1))
    return Mesh(positions, normals, np.array([[0, 1, 2], [0, 2, 3]], dtype=np.uint32))


KIND = PartKind(
    id="plane",
    label="Plane",
    help="A flat sheet that lies on the ground.",
    params=PlaneParams,
    properties=PLACE_3D + SURFACE,
    space="3d",
    solid=solid,
    channels=SOLID_CHANNELS,
)

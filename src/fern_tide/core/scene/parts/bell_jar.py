"""Bell jar: a dome on a straight wall, as of a cloche."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.mesh import Mesh, turned
from fern_tide.core.scene.part import SOLID_CHANNELS, PartKind
from fern_tide.core.scene.properties import PLACE_3D, SURFACE


class BellJarParams(Params):
    """Its size, in metres."""

    radius: Annotated[float, Field(gt=0), unit("m", "From its axis to its wall.", step=0.05)] = 0.3
    height: Annotated[float, Field(gt=0), unit("m", "How tall it is, dome included.", step=0.05)] = 0.8
    around: Annotated[int, Field(ge=6, le=128), unit("", "How many sides it has.")] = 32


def solid(params: BellJarParams) -> Mesh:
    """Give its mesh; its base is on y = 0."""
    r = params.radius
    wall = max(params.height - r, 0.0)
    angles = np.linspace(np.pi / 2, 0.0, 13)
    dome = np.stack([np.cos(angles), np.sin(angles)], axis=1)
    knob = np.array([[0.0, wall + r * 1.16], [r * 0.11, wall + r * 1.08], [r * 0.06, wall + r * 0.99]])
    knob_normals = np.array([[0.0, 1.0], [1.0, 0.0], [1.0, 0.0]])
    profile = np.concatenate([knob, dome[1:] * [r, r] + [0, wall], [[r, 0.0], [r, 0.0], [0.0, 0.0]]])
    normals = np.concatenate([knob_normals, dome[1:], [[1.0, 0.0], [0.0, -1.0], [0.0, -1.0]]])
    return turned(profile, normals, around=params.around)


KIND = PartKind(
    id="bell_jar",
    label="Bell jar",
    help="A dome on a straight wall, as of a cloche.",
    params=BellJarParams,
    properties=PLACE_3D + SURFACE,
    space="3d",
    solid=solid,
    channels=SOLID_CHANNELS,
)

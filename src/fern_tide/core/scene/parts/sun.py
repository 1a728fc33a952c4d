"""Sun: shines from far away, all in one direction."""

from __future__ import annotations

from fern_tide.core.base.params import Params
from fern_tide.core.scene.part import LIGHT_CHANNELS, PLACE_CHANNELS, PartKind
from fern_tide.core.scene.properties import PLACE_3D, SUNLIGHT


class SunParams(Params):
    """It has no shape."""


KIND = PartKind(
    id="sun",
    label="Sun",
    help="Shines from far away, all in one direction.",
    params=SunParams,
    emits="directional",
    properties=(*PLACE_3D[3:6], *SUNLIGHT),
    space="3d",
    channels=(PLACE_CHANNELS[1], *LIGHT_CHANNELS),
    new_values={"turn_x": -50.0, "turn_y": 30.0},
)

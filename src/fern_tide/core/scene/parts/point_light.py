"""Point light: shines to all sides from one point."""

from __future__ import annotations

from fern_tide.core.base.params import Params
from fern_tide.core.scene.part import LIGHT_CHANNELS, PLACE_CHANNELS, RANGE_CHANNEL, PartKind
from fern_tide.core.scene.properties import LIGHT, PLACE_3D, RANGE


class PointLightParams(Params):
    """It has no shape."""


KIND = PartKind(
    id="point_light",
    label="Point light",
    help="Shines to all sides from one point.",
    params=PointLightParams,
    emits="point",
    properties=(*PLACE_3D[:3], *LIGHT, RANGE),
    space="3d",
    channels=(PLACE_CHANNELS[0], *LIGHT_CHANNELS, RANGE_CHANNEL),
    new_values={"y": 2.0, "z": 1.0},
)

"""Spot light: shines in a cone, along its own z axis backwards."""

from __future__ import annotations

from fern_tide.core.base.params import Params
from fern_tide.core.scene.part import CONE_CHANNELS, LIGHT_CHANNELS, PLACE_CHANNELS, RANGE_CHANNEL, PartKind
from fern_tide.core.scene.properties import CONE, LIGHT, PLACE_3D, RANGE


class SpotLightParams(Params):
    """It has no shape."""


KIND = PartKind(
    id="spot_light",
    label="Spot light",
    help="Shines in a cone, along its own z axis backwards.",
    params=SpotLightParams,
    emits="spot",
    properties=(*PLACE_3D[:6], *LIGHT, RANGE, *CONE),
    space="3d",
    channels=(*PLACE_CHANNELS[:2], *LIGHT_CHANNELS, RANGE_CHANNEL, *CONE_CHANNELS),
    new_values={"y": 2.0, "z": 1.0, "turn_x": -60.0},
)

"""Group: parts that move together."""

from __future__ import annotations

from fern_tide.core.base.params import Params
from fern_tide.core.scene.part import PLACE_CHANNELS, PartKind
from fern_tide.core.scene.properties import PLACE_3D


class Group3dParams(Params):
    """It has no shape."""


KIND = PartKind(
    id="group_3d",
    label="Group",
    help="Parts that move together.",
    params=Group3dParams,
    properties=PLACE_3D,
    space="3d",
    channels=PLACE_CHANNELS,
    holds=True,
)

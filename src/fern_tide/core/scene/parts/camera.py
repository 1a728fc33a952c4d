"""Camera: what the picture is taken with."""

from __future__ import annotations

from fern_tide.core.base.params import Params
from fern_tide.core.scene.part import LENS_CHANNELS, PLACE_CHANNELS, PartKind
from fern_tide.core.scene.properties import LENS, PLACE_3D


class CameraParams(Params):
    """It has no shape."""


KIND = PartKind(
    id="camera",
    label="Camera",
    help="What the picture is taken with.",
    params=CameraParams,
    films=True,
    properties=PLACE_3D[:6] + LENS,
    space="3d",
    channels=PLACE_CHANNELS[:2] + LENS_CHANNELS,
    new_values={"y": 1.4, "z": 5.0, "turn_x": -8.0},
)

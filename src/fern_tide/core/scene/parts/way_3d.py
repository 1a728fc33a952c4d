"""Way: a line in space to move along; it is seen only here."""

from __future__ import annotations

from typing import Any

from fern_tide.core.scene.part import PartKind
from fern_tide.core.scene.way_params import WayParams, curves


def new_way(x: float, y: float) -> dict[str, Any]:
    """Give a ring that rises and falls, about the middle."""
    points = ((-1.0, 0.6, 0.0), (0.0, 1.0, 1.0), (1.0, 0.6, 0.0), (0.0, 1.0, -1.0))
    return {"points": [{"x": across, "y": up, "z": near} for across, up, near in points], "closed": True}


KIND = PartKind(
    id="way_3d",
    label="Way",
    help="A line in space to move along; it is seen only here.",
    params=WayParams,
    space="3d",
    new_params=new_way,
    looks=False,
    way=curves,
)

"""Way: a line to move along; it is seen only here."""

from __future__ import annotations

from typing import Any

from fern_tide.core.scene.part import PartKind
from fern_tide.core.scene.way_params import WayParams, curves


def new_way(x: float, y: float) -> dict[str, Any]:
    """Give a slow wave across, about a point."""
    points = ((-300.0, 60.0), (-100.0, -90.0), (100.0, 90.0), (300.0, -60.0))
    return {"points": [{"x": x + across, "y": y + down} for across, down in points]}


KIND = PartKind(
    id="way",
    label="Way",
    help="A line to move along; it is seen only here.",
    params=WayParams,
    new_params=new_way,
    looks=False,
    way=curves,
)

"""Spiral: ring after ring from a point outward, each ring round the point."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.ordering import Order, angles_about, by_key
from fern_tide.core.scene.orders.around import AroundParams


class SpiralOrderParams(AroundParams):
    """The point, where to start, and how wide a ring is."""

    rings: Annotated[int, Field(ge=1, le=500), unit("", "How many rings there are, from the point to the last.")] = 5


def ranks(middles: FloatArray, params: SpiralOrderParams) -> FloatArray:
    """Give ranks by floor(|x - c| / width), and in one ring by the angle; the width is the farthest over the rings."""
    seen = params.seen_from(middles)
    away = np.linalg.norm(seen, axis=1)
    width = (away.max(initial=0.0) or 1.0) / params.rings
    ring = np.minimum(np.floor((away / width).round(9)), params.rings - 1)
    angles = angles_about(seen, lying=params.lying, start_degrees=params.start_degrees).round(9)
    return by_key(ring + angles)


ORDER = Order(
    id="spiral", label="Spiral", help="Ring after ring from a point outward.", ranks=ranks, params=SpiralOrderParams
)

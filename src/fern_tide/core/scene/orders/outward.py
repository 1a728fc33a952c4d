"""Outward: the part nearest to a point is first."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.ordering import AboutPoint, Order, by_key


def ranks(middles: FloatArray, params: AboutPoint) -> FloatArray:
    """Give ranks by the distance from the point."""
    return by_key(np.round(np.linalg.norm(params.seen_from(middles), axis=1), 9))


ORDER = Order(
    id="outward", label="Outward", help="The part nearest to a point is first.", ranks=ranks, params=AboutPoint
)

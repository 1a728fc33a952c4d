"""From the middle: the parts in the middle are first, and both ends last."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.ordering import Order, by_key


def ranks(middles: FloatArray, params: Params) -> FloatArray:
    """Give |2p - 1| of the order from left to right: pairs at both sides have one rank."""
    return np.asarray(np.abs(2.0 * by_key(middles[:, 0]) - 1.0))


ORDER = Order(id="middle", label="From the middle", help="The middle is first, both ends are last.", ranks=ranks)

"""Bottom up: the lowest part is first."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.ordering import Order, by_key


def ranks(middles: FloatArray, params: Params) -> FloatArray:
    """Give ranks from the lowest part to the highest; in 2D down counts downwards, in 3D up counts upwards."""
    flat = middles.shape[1] == 2
    return np.asarray(by_key(-middles[:, 1] if flat else middles[:, 1]))


ORDER = Order(id="up", label="Bottom up", help="The lowest part is first.", ranks=ranks)

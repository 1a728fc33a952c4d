"""Shuffled: in no order that can be seen, the same each time."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.ordering import Order, by_key


class ShuffledParams(Params):
    """Which of the many orders without order."""

    seed: Annotated[int, Field(ge=0, lt=2**31), unit("", "Another number is another order.")] = 1


def ranks(middles: FloatArray, params: ShuffledParams) -> FloatArray:
    """Give ranks by a permutation of PCG64 with the seed."""
    drawn = np.random.Generator(np.random.PCG64(params.seed)).permutation(len(middles))
    return by_key(drawn.astype(np.float64))


ORDER = Order(
    id="shuffled", label="Shuffled", help="In no order, the same each time.", ranks=ranks, params=ShuffledParams
)

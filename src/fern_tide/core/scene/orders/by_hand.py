"""By hand: as the pieces were picked."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.limits import Most
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.ordering import Order, by_key

MOST_PICKED = 2000


class ByHandParams(Params):
    """Which pieces were picked, one after the other."""

    picked: Annotated[
        tuple[Annotated[int, Field(ge=0, lt=250_000)], ...],
        Most(MOST_PICKED),
        unit("", "The places of the pieces, the first first; those that are not picked come last.", kind="places"),
    ] = ()


def ranks(middles: FloatArray, params: ByHandParams) -> FloatArray:
    """Give ranks by the place in the list, or after all of them; what was picked twice counts where it was first."""
    keys = np.full(len(middles), float(len(params.picked)))
    for place, piece in reversed(list(enumerate(params.picked))):
        if piece < len(keys):
            keys[piece] = place
    return by_key(keys)


ORDER = Order(
    id="by_hand", label="By hand", help="As they were picked.", ranks=ranks, params=ByHandParams, by_hand=True
)

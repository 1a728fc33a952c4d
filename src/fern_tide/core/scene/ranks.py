"""The order of several parts: each gets a rank from 0 for the first to 1 for the last."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.extent import Extent
from fern_tide.core.scene.order_choice import ORDERS


def ranks_of(parts: Sequence[str], *, order: str, extents: Mapping[str, Extent], backwards: bool = False) -> FloatArray:
    """Give the ranks of parts in an order, shape (parts,), 0 to 1.

    Args:
        parts: their ids.
        order: the id of the order.
        extents: where parts are; one that is nowhere counts as at the upper left.
        backwards: the first is the last.

    Raises:
        UnknownName: there is no such order.
    """
    wide = max((len(extents[part].middle) for part in parts if part in extents), default=2)
    nowhere = (0.0,) * wide
    middles = np.array([extents[part].middle if part in extents else nowhere for part in parts], dtype=np.float64)
    chosen = ORDERS[order]
    ranks = chosen.ranks(middles.reshape(len(parts), wide), chosen.params())
    return 1.0 - ranks if backwards else ranks

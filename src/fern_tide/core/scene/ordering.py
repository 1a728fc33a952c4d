"""What an order of several parts is, and ranks by a key."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray


@dataclass(frozen=True)
class Order:
    """A way to put parts in order.

    Attributes:
        id: the file's name.
        label: what people read.
        help: one line on which part is first.
        ranks: gives the ranks, shape (parts,), from the parts' middles, shape (parts, 2 or 3), across, down (in 2D) or
            up (in 3D), and towards you.
        params: it has none.
    """

    id: str
    label: str
    help: str
    ranks: Callable[[FloatArray], FloatArray]
    params: type[Params] = Params


def by_key(keys: FloatArray) -> FloatArray:
    """Give ranks by a key, the least first, ties in the parts' own order: place / (M - 1), 0 for one part."""
    ranks = np.zeros(len(keys))
    ranks[np.argsort(keys, kind="stable")] = np.arange(len(keys)) / max(1, len(keys) - 1)
    return ranks

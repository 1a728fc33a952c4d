"""What an order of several parts is, and ranks by a key."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Any

import numpy as np

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray


@dataclass(frozen=True)
class Order:
    """A way to put parts in order.

    Attributes:
        id: the file's name.
        label: what people read.
        help: one line on which part is first.
        ranks: gives the ranks, shape (parts,), from the parts' middles, shape (parts, 2 or 3), across, down (in 2D) or
            up (in 3D), and towards you; and from its params.
        params: the model of its options.
        by_hand: whether pieces are picked for it, which only those of an array are.
    """

    id: str
    label: str
    help: str
    ranks: Callable[[FloatArray, Any], FloatArray]
    params: type[Params] = Params
    by_hand: bool = False


def by_key(keys: FloatArray) -> FloatArray:
    """Give ranks by a key, the least first, ties in the parts' own order: place / (M - 1), 0 for one part."""
    ranks = np.zeros(len(keys))
    ranks[np.argsort(keys, kind="stable")] = np.arange(len(keys)) / max(1, len(keys) - 1)
    return ranks


class AboutPoint(Params):
    """The point that an order goes by."""

    middle: Annotated[bool, unit("", "Whether it goes by the middle of them all.", label="Their middle")] = True
    x: Annotated[float, unit("", "Otherwise by this point: across.", step=0.1, label="Across")] = 0.0
    y: Annotated[float, unit("", "Otherwise by this point: down, in 3D up.", step=0.1, label="Up or down")] = 0.0
    z: Annotated[float, unit("", "Otherwise by this point: towards you.", step=0.1, label="Towards")] = 0.0

    def seen_from(self, middles: FloatArray) -> FloatArray:
        """Give where parts are as seen from the point, of the same shape."""
        if not len(middles):
            return middles
        at = (middles.min(axis=0) + middles.max(axis=0)) / 2 if self.middle else np.array([self.x, self.y, self.z])
        return np.asarray(middles - at[: middles.shape[1]])


def angles_about(seen: FloatArray, *, lying: bool, start_degrees: float) -> FloatArray:
    """Give how far round parts are, from 0 up to a whole turn, in turns: counter-clockwise as seen, from a start.

    Args:
        seen: where they are from the point, shape (parts, 2 or 3).
        lying: in 3D, whether they are looked at from above rather than from the front.
        start_degrees: the angle that is first; 0 is to the right.
    """
    flat = seen.shape[1] == 2
    up = -seen[:, 1] if flat else -seen[:, 2] if lying else seen[:, 1]
    turns = (np.arctan2(up, seen[:, 0]) / (2 * np.pi) - start_degrees / 360.0) % 1.0
    return np.where(turns > 1.0 - 1e-9, 0.0, turns)  # a hair before the start is the start

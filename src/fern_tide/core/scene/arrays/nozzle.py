"""What a nozzle is: where on it drops leave, and which way is out there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray


def straight_up(n_drops: int) -> FloatArray:
    """Give the same way out for all drops: up, shape (drops, 3)."""
    return np.tile([0.0, 1.0, 0.0], (n_drops, 1))


@dataclass(frozen=True)
class Nozzle:
    """What drops leave from, one across; how large it is, and where it points, are properties of the array.

    Attributes:
        id: the file's name.
        label: what people read.
        help: one line on what drops leave from.
        leave: gives places, shape (drops, 3), and ways out of length 1, of the same shape, from two numbers from 0
            to 1 for each drop, shape (drops, 2); up is y, in 2D too.
        flat: the same in 2D, where z is 0.
        params: it has none.
    """

    id: str
    label: str
    help: str
    leave: Callable[[FloatArray], tuple[FloatArray, FloatArray]]
    flat: Callable[[FloatArray], tuple[FloatArray, FloatArray]]
    params: type[Params] = Params


def round_about(shares: FloatArray, *, lying: bool) -> FloatArray:
    """Give points 1 away from the middle at shares of a turn, on the floor or standing, shape (points, 3)."""
    points = np.zeros((len(shares), 3))
    points[:, 0] = np.cos(2 * np.pi * shares)
    points[:, 2 if lying else 1] = np.sin(2 * np.pi * shares)
    return points

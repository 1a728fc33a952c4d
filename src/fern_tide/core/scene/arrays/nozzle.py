"""What a nozzle is: where on it drops leave, and which way is out there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray

if TYPE_CHECKING:
    from fern_tide.core.scene.scene import Part, Scene


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
        leave: gives places, shape (drops, 3), and ways out of length 1, of the same shape, from its params and two
            numbers from 0 to 1 for each drop, shape (drops, 2); up is y, in 2D too.
        flat: the same in 2D, where z is 0.
        params: the model of its options.
        lies: whether it lies somewhere in the scene: its places are then those of the array, in metres or px, in 2D
            down being y, and neither its size nor its aim counts for them.
        given: completes its params by what else is in a scene, as its array counts it; None where they say all.
        offers: lists the parts that its params can name.
    """

    id: str
    label: str
    help: str
    leave: Callable[[Any, FloatArray], tuple[FloatArray, FloatArray]]
    flat: Callable[[Any, FloatArray], tuple[FloatArray, FloatArray]]
    params: type[Params] = Params
    lies: bool = False
    given: Callable[[Scene, Part, Any], Params] | None = None
    offers: Callable[[Scene, Part], list[Part]] | None = None


def round_about(shares: FloatArray, *, lying: bool) -> FloatArray:
    """Give points 1 away from the middle at shares of a turn, on the floor or standing, shape (points, 3)."""
    points = np.zeros((len(shares), 3))
    points[:, 0] = np.cos(2 * np.pi * shares)
    points[:, 2 if lying else 1] = np.sin(2 * np.pi * shares)
    return points

"""Disc: anywhere within a circle that lies on the floor; in 2D one that stands."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.arrays.nozzle import Nozzle, round_about, straight_up


def _within(numbers: FloatArray, *, lying: bool) -> tuple[FloatArray, FloatArray]:
    away = np.sqrt(numbers[:, :1]) / 2  # as many on the same area everywhere
    return away * round_about(numbers[:, 1], lying=lying), straight_up(len(numbers))


def leave(params: Params, numbers: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Give places within a circle on the floor, and up."""
    return _within(numbers, lying=True)


def flat(params: Params, numbers: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Give places within a circle that stands, and up."""
    return _within(numbers, lying=False)


NOZZLE = Nozzle(id="disc", label="Disc", help="Anywhere within a circle, like a tray.", leave=leave, flat=flat)

"""Point: all drops leave from the same place."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.arrays.nozzle import Nozzle, straight_up


def leave(params: Params, numbers: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Give the middle, and up."""
    return np.zeros((len(numbers), 3)), straight_up(len(numbers))


NOZZLE = Nozzle(id="point", label="Point", help="All leave from the same place.", leave=leave, flat=leave)

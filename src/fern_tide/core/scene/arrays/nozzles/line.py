"""Line: along a line across."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.arrays.nozzle import Nozzle, straight_up


def leave(params: Params, numbers: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Give places from half to the left to half to the right, and up."""
    places = np.zeros((len(numbers), 3))
    places[:, 0] = numbers[:, 0] - 0.5
    return places, straight_up(len(numbers))


NOZZLE = Nozzle(id="line", label="Line", help="Along a line across, like a gutter.", leave=leave, flat=leave)

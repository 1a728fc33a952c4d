"""Ring: from the edge of a circle, outward and up half and half; in 2D outward."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.arrays.nozzle import Nozzle, round_about, straight_up


def leave(params: Params, numbers: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Give places on a circle on the floor, and what lies half-way between outward and up."""
    out = round_about(numbers[:, 0], lying=True)
    return out / 2, (out + straight_up(len(numbers))) / np.sqrt(2.0)


def flat(params: Params, numbers: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Give places on a circle that stands, and outward."""
    out = round_about(numbers[:, 0], lying=False)
    return out / 2, out


NOZZLE = Nozzle(id="ring", label="Ring", help="From the edge of a circle, outward.", leave=leave, flat=flat)

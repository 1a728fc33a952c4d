"""Ball: from the surface of a ball, outward; in 2D from a circle."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.arrays.nozzle import Nozzle, round_about


def leave(params: Params, numbers: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Give places all over a ball (Archimedes: even by height), and outward."""
    height = 1.0 - 2.0 * numbers[:, :1]
    out = round_about(numbers[:, 1], lying=True) * np.sqrt(1.0 - height**2)
    out[:, 1:2] = height
    return out / 2, out


def flat(params: Params, numbers: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Give places on a circle, and outward."""
    out = round_about(numbers[:, 0], lying=False)
    return out / 2, out


NOZZLE = Nozzle(id="ball", label="Ball", help="From all over a ball, outward.", leave=leave, flat=flat)

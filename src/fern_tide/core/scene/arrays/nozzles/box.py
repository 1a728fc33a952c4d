"""Box: from the faces of a cube, each straight out; in 2D from the edges of a square."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.arrays.nozzle import Nozzle


def _out(numbers: FloatArray, *, axes: int) -> tuple[FloatArray, FloatArray]:
    """Give places on the faces along so many axes, and the faces' ways out."""
    n = len(numbers)
    face = np.minimum((numbers[:, 0] * 2 * axes).astype(np.int64), 2 * axes - 1)
    within = numbers[:, 0] * 2 * axes - face
    axis, side = face // 2, np.where(face % 2, -1.0, 1.0)
    out, places = np.zeros((n, 3)), np.zeros((n, 3))
    every = np.arange(n)
    out[every, axis] = side
    places[every, (axis + 1) % axes] = within - 0.5
    if axes == 3:
        places[every, (axis + 2) % axes] = numbers[:, 1] - 0.5
    return places + out / 2, out


def leave(params: Params, numbers: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Give places on the six faces of a cube, and straight out."""
    return _out(numbers, axes=3)


def flat(params: Params, numbers: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Give places on the four edges of a square, and straight out."""
    return _out(numbers, axes=2)


NOZZLE = Nozzle(id="box", label="Box", help="From the faces of a cube, straight out.", leave=leave, flat=flat)

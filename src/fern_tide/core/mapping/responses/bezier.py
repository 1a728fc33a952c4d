"""Bezier: a cubic Bezier curve, as CSS writes it."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.response import Response, between_the_ends


class BezierParams(Params):
    """The two handles: across from 0 to 1, up as far as wanted."""

    x1: Annotated[float, Field(ge=0, le=1), unit("", "The first handle, across.", step=0.02, label="Across 1")] = 0.4
    y1: Annotated[float, Field(ge=-3, le=4), unit("", "The first handle, up.", step=0.02, label="Up 1")] = 0.0
    x2: Annotated[float, Field(ge=0, le=1), unit("", "The second handle, across.", step=0.02, label="Across 2")] = 0.2
    y2: Annotated[float, Field(ge=-3, le=4), unit("", "The second handle, up.", step=0.02, label="Up 2")] = 1.0


def bezier(lift: FloatArray, *, params: BezierParams) -> FloatArray:
    """Give the height of the curve (0, 0) (x1, y1) (x2, y2) (1, 1) where it is as far across as lift, any shape.

    CSS Easing Functions Level 1, 2.2. The parameter is found by halving, to 2^-50.
    """

    def eased(x: FloatArray) -> FloatArray:
        low, high = np.zeros_like(x), np.ones_like(x)
        for _ in range(50):
            middle = (low + high) / 2
            short = _along(middle, params.x1, params.x2) < x
            low, high = np.where(short, middle, low), np.where(short, high, middle)
        return _along((low + high) / 2, params.y1, params.y2)

    return between_the_ends(lift, eased)


def _along(t: FloatArray, first: float, second: float) -> FloatArray:
    return np.asarray(3 * (1 - t) ** 2 * t * first + 3 * (1 - t) * t**2 * second + t**3)


RESPONSE = Response(
    id="bezier",
    label="Bezier",
    help="A cubic Bezier curve with two handles, as in CSS.",
    params=BezierParams,
    apply=bezier,
)

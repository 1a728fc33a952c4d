"""Overshoot: goes past full and comes back."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.response import Response, between_the_ends


class OvershootParams(Params):
    """How far."""

    by: Annotated[float, Field(ge=0, le=10), unit("", "How far it goes past full.", step=0.1)] = 1.7


def overshoot(lift: FloatArray, *, params: OvershootParams) -> FloatArray:
    """Give 1 + (by + 1)(x - 1)^3 + by (x - 1)^2 of lift, any shape."""

    def eased(x: FloatArray) -> FloatArray:
        back = x - 1.0
        return np.asarray(1.0 + (params.by + 1.0) * back**3 + params.by * back**2)

    return between_the_ends(lift, eased)


RESPONSE = Response(
    id="overshoot",
    label="Overshoot",
    help="Goes a little past full, and comes back.",
    params=OvershootParams,
    apply=overshoot,
)

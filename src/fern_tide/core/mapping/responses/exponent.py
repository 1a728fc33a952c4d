"""Exponent: quick to leave rest, or slow to."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.response import Response


class ExponentParams(Params):
    """How bent."""

    power: Annotated[
        float, Field(ge=0.05, le=20), unit("", "Below 1 leaves rest quickly; above 1 saves itself for the loud.")
    ] = 0.7


def exponent(lift: FloatArray, *, params: ExponentParams) -> FloatArray:
    """Give lift ** power, any shape; below 0 the curve is mirrored."""
    return np.sign(lift) * np.abs(lift) ** params.power


RESPONSE = Response(
    id="exponent",
    label="Exponent",
    help="Leaves rest quickly (below 1) or saves itself for the loud (above 1).",
    params=ExponentParams,
    apply=exponent,
)

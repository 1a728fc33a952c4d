"""Straight: the value follows lift evenly."""

from __future__ import annotations

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.response import Response


class StraightParams(Params):
    """Straight has nothing to set."""


def straight(lift: FloatArray, *, params: StraightParams) -> FloatArray:
    """Give lift as it is, any shape."""
    return lift.copy()


RESPONSE = Response(
    id="straight", label="Straight", help="Follows the sound evenly.", params=StraightParams, apply=straight
)

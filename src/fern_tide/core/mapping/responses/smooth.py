"""Smooth: leaves rest and reaches full gently."""

from __future__ import annotations

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.response import Response


class SmoothResponseParams(Params):
    """Smooth has nothing to set."""


def smooth(lift: FloatArray, *, params: SmoothResponseParams) -> FloatArray:
    """Give 3u^2 - 2u^3 from 0 to 1 (the cubic with level ends), any shape; outside it goes on straight."""
    inside = (lift > 0.0) & (lift < 1.0)
    eased = lift.copy()
    eased[inside] = lift[inside] ** 2 * (3.0 - 2.0 * lift[inside])
    return eased


RESPONSE = Response(
    id="smooth",
    label="Smooth",
    help="Leaves rest and reaches full gently.",
    params=SmoothResponseParams,
    apply=smooth,
)

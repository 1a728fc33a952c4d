"""Ease: in, out, or both, in the usual families."""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum
from typing import Annotated

import numpy as np

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.response import Response, between_the_ends


class Family(StrEnum):
    """The usual families of easing."""

    SINE = "sine"
    QUADRATIC = "quadratic"
    CUBIC = "cubic"
    QUARTIC = "quartic"
    EXPONENTIAL = "exponential"
    CIRCULAR = "circular"


class End(StrEnum):
    """Where it is gentle."""

    START = "start"
    END = "end"
    BOTH = "both"


_BEND: dict[Family, Callable[[FloatArray], FloatArray]] = {
    Family.SINE: lambda x: 1.0 - np.cos(x * np.pi / 2),
    Family.QUADRATIC: lambda x: x**2,
    Family.CUBIC: lambda x: x**3,
    Family.QUARTIC: lambda x: x**4,
    Family.EXPONENTIAL: lambda x: (2.0 ** (10.0 * x) - 1.0) / 1023.0,
    Family.CIRCULAR: lambda x: 1.0 - np.sqrt(np.maximum(0.0, 1.0 - x**2)),
}


class EaseParams(Params):
    """Which family, and at which end."""

    family: Annotated[Family, unit("", "How strongly it is bent.")] = Family.CUBIC
    at: Annotated[End, unit("", "At which end it is gentle.")] = End.BOTH


def ease(lift: FloatArray, *, params: EaseParams) -> FloatArray:
    """Give the eased lift, any shape: 'start' leaves gently, 'end' arrives gently, 'both' does both in halves."""

    def bent(x: FloatArray) -> FloatArray:
        return np.asarray(_BEND[params.family](x), dtype=np.float64)

    def eased(x: FloatArray) -> FloatArray:
        if params.at is End.START:
            return bent(x)
        if params.at is End.END:
            return 1.0 - bent(1.0 - x)
        return np.where(x < 0.5, bent(2.0 * np.minimum(x, 0.5)) / 2, 1.0 - bent(2.0 - 2.0 * np.maximum(x, 0.5)) / 2)

    return between_the_ends(lift, eased)


RESPONSE = Response(
    id="ease", label="Ease", help="Leaves or reaches gently, in the usual families.", params=EaseParams, apply=ease
)

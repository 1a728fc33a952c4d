"""Bounce: falls onto full and bounces off it."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.response import Response, between_the_ends


class BounceParams(Params):
    """How often and how high."""

    bounces: Annotated[int, Field(ge=1, le=8), unit("", "How often it comes off.")] = 3
    height: Annotated[float, Field(gt=0, lt=1), unit("", "How high each is of the one before.", step=0.05)] = 0.25


def bounce(lift: FloatArray, *, params: BounceParams) -> FloatArray:
    """Give a fall to full and parabolas off it, each as high as the height times the one before, any shape.

    A fall from 1 takes time 1; a bounce of height h takes 2 sqrt(h), as under gravity; all of it fits into lift.
    """
    heights = params.height ** np.arange(1, params.bounces + 1)
    ends = np.concatenate([[0.0, 1.0], 1.0 + np.cumsum(2.0 * np.sqrt(heights))])

    def eased(x: FloatArray) -> FloatArray:
        time = x * ends[-1]
        out = np.minimum(time, 1.0) ** 2
        for high, start, end in zip(heights, ends[1:-1], ends[2:], strict=True):
            share = (time - start) / (end - start)
            out = np.where((share > 0) & (share <= 1), 1.0 - high * 4.0 * share * (1.0 - share), out)
        return np.asarray(out)

    return between_the_ends(lift, eased)


RESPONSE = Response(
    id="bounce",
    label="Bounce",
    help="Falls onto full and bounces off it, lower each time.",
    params=BounceParams,
    apply=bounce,
)

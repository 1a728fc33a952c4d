"""Elastic: snaps to full and trembles there."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.response import Response, between_the_ends


class ElasticParams(Params):
    """How it trembles."""

    swings: Annotated[float, Field(gt=0, le=20), unit("", "How often it trembles.", step=0.5)] = 3.0
    decay: Annotated[float, Field(ge=1, le=20), unit("", "How soon it rests.", step=0.5)] = 7.0


def elastic(lift: FloatArray, *, params: ElasticParams) -> FloatArray:
    """Give 1 - exp(-decay x) cos(2 pi swings x) of lift, with what is left at 1 taken out evenly; any shape."""

    def eased(x: FloatArray) -> FloatArray:
        def plain(at: FloatArray) -> FloatArray:
            return np.asarray(1.0 - np.exp(-params.decay * at) * np.cos(2 * np.pi * params.swings * at))

        return np.asarray(plain(x) + (1.0 - plain(np.ones(1))) * x)

    return between_the_ends(lift, eased)


RESPONSE = Response(
    id="elastic",
    label="Elastic",
    help="Snaps to full and trembles there until it rests.",
    params=ElasticParams,
    apply=elastic,
)

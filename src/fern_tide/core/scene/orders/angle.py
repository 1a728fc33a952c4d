"""At an angle: along a line that is turned as far as one likes."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.ordering import Order, by_key


class AngleParams(Params):
    """Which way the line goes."""

    degrees: Annotated[
        float, Field(ge=-360, le=360), unit("°", "0 goes from left to right, 90 from below to above.", step=5)
    ] = 45.0
    towards_degrees: Annotated[
        float, Field(ge=-90, le=90), unit("°", "In 3D, how far it also comes towards you.", step=5, label="Towards you")
    ] = 0.0


def ranks(middles: FloatArray, params: AngleParams) -> FloatArray:
    """Give ranks along the line: the key is x . a."""
    turn, towards = np.radians([params.degrees, params.towards_degrees])
    way = np.array([np.cos(turn) * np.cos(towards), np.sin(turn) * np.cos(towards), np.sin(towards)])
    if middles.shape[1] == 2:
        way = np.array([way[0], -way[1]])  # down counts downwards
    return by_key(np.round(middles @ way, 9))


ORDER = Order(id="angle", label="At an angle", help="Along a line of any direction.", ranks=ranks, params=AngleParams)

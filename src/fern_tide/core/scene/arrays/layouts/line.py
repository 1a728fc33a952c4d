"""Line: one piece beside the other."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.arrays.layout import MOST_PIECES, Laid, Layout, Size, upright


class Direction(StrEnum):
    """Which way a line goes."""

    ACROSS = "across"
    UP_AND_DOWN = "up_and_down"
    TOWARDS_YOU = "towards_you"


AXES = {Direction.ACROSS: 0, Direction.UP_AND_DOWN: 1, Direction.TOWARDS_YOU: 2}


class LineParams(Params):
    """How many pieces, which way."""

    count: Annotated[int, Field(ge=1, le=MOST_PIECES), unit("", "How many pieces there are.")] = 12
    direction: Annotated[Direction, unit("", "Which way the line goes.")] = Direction.ACROSS


def lay(params: LineParams) -> Laid:
    """Give pieces evenly to both sides of the middle."""
    way = np.zeros((params.count, 3))
    way[:, AXES[params.direction]] = np.arange(params.count) - (params.count - 1) / 2
    return Laid({"gap": way}, upright(params.count))


LAYOUT = Layout(
    id="line",
    label="Line",
    help="One beside the other.",
    params=LineParams,
    sizes=(Size("gap", "Gap", 0.5),),
    count=lambda params: params.count,
    lay=lay,
    flat=lay,
)

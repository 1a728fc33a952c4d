"""Spiral: out from a middle, as far from one to the next, and up if it is to climb."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.arrays.layout import MOST_PIECES, Laid, Layout, Size, even, upright
from fern_tide.core.scene.arrays.layouts.ring import about, outward


class SpiralParams(Params):
    """How many pieces, and how many times round."""

    count: Annotated[int, Field(ge=1, le=MOST_PIECES), unit("", "How many pieces there are.")] = 48
    rounds: Annotated[float, Field(gt=0, le=1000), unit("", "How many times round it goes.", step=0.5)] = 4.0
    lying: Annotated[bool, unit("", "In 3D: whether it lies on the floor rather than standing up.")] = True
    facing: Annotated[bool, unit("", "Whether each piece faces outward.", label="Face outward")] = False


def lay(params: SpiralParams) -> Laid:
    """Give pieces from the middle outward: the distance grows with the angle, and both with the root of the place."""
    shares = np.sqrt(even(params.count))
    angles = 2 * np.pi * params.rounds * shares
    rise = np.zeros((params.count, 3))
    rise[:, 1 if params.lying else 2] = shares
    turns = outward(angles, lying=params.lying) if params.facing else upright(params.count)
    return Laid({"radius": about(angles, lying=params.lying) * shares[:, np.newaxis], "rise": rise}, turns)


LAYOUT = Layout(
    id="spiral",
    label="Spiral",
    help="Out from a middle, and up if it is to climb.",
    params=SpiralParams,
    sizes=(Size("radius", "Radius", 1.5, low=0.0), Size("rise", "Rise", 0.0)),
    count=lambda params: params.count,
    lay=lay,
    flat=lambda params: lay(params.but(lying=False)),
)

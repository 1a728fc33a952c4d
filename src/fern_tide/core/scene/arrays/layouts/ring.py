"""Ring: round a middle, or part of the way round."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.arrays.layout import MOST_PIECES, Laid, Layout, Size, even, upright


class RingParams(Params):
    """How many pieces, and how far round."""

    count: Annotated[int, Field(ge=1, le=MOST_PIECES), unit("", "How many pieces there are.")] = 12
    degrees: Annotated[
        float, Field(gt=0, le=360), unit("°", "How far round they stand; 360 is a whole ring.", step=5, label="Round")
    ] = 360.0
    lying: Annotated[bool, unit("", "In 3D: whether it lies on the floor rather than standing up.")] = True
    facing: Annotated[bool, unit("", "Whether each piece faces outward.", label="Face outward")] = True


def about(angles: FloatArray, *, lying: bool) -> FloatArray:
    """Give points 1 away, at angles in radians from the right up, or on the floor away from you; shape (points, 3)."""
    points = np.zeros((len(angles), 3))
    points[:, 0] = np.cos(angles)
    points[:, 2 if lying else 1] = np.sin(angles) * (-1.0 if lying else 1.0)
    return points


def outward(angles: FloatArray, *, lying: bool) -> FloatArray:
    """Give the turns in degrees, shape (3, points), of pieces that face outward at angles in radians."""
    turns = upright(len(angles))
    turns[1 if lying else 2] = np.degrees(angles)
    return turns


def lay(params: RingParams) -> Laid:
    """Give pieces from the right on, going up, or on the floor away from you."""
    angles = np.radians(params.degrees) * even(params.count, closed=params.degrees == 360)
    turns = outward(angles, lying=params.lying) if params.facing else upright(params.count)
    return Laid({"radius": about(angles, lying=params.lying)}, turns)


LAYOUT = Layout(
    id="ring",
    label="Ring",
    help="Round a middle.",
    params=RingParams,
    sizes=(Size("radius", "Radius", 1.0, low=0.0),),
    count=lambda params: params.count,
    lay=lay,
    flat=lambda params: lay(params.but(lying=False)),
)

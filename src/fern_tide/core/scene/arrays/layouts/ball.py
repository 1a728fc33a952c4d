"""Ball: evenly on a sphere."""

from __future__ import annotations

from math import sqrt
from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.arrays.layout import MOST_PIECES, Laid, Layout, Size, upright

_GOLDEN = np.pi * (3.0 - sqrt(5.0))


class BallParams(Params):
    """How many pieces."""

    count: Annotated[int, Field(ge=1, le=MOST_PIECES), unit("", "How many pieces there are.")] = 120
    facing: Annotated[bool, unit("", "Whether each piece stands on the sphere.", label="Face outward")] = True


def lay(params: BallParams) -> Laid:
    """Give pieces from the top down, each a golden angle round from the last, in bands of the same area."""
    n = params.count
    heights = 1.0 - (2.0 * np.arange(n) + 1.0) / n
    angles = _GOLDEN * np.arange(n)
    flat = np.sqrt(1.0 - heights**2)
    points = np.stack([flat * np.cos(angles), heights, flat * np.sin(angles)], axis=1)
    turns = upright(n)
    if (
        params.facing
    ):  # what is up for a piece is away from the middle: Rx Rz takes y to (-sin z, cos x cos z, sin x cos z)
        turns[0] = np.degrees(np.arctan2(points[:, 2], points[:, 1]))
        turns[2] = np.degrees(np.arcsin(np.clip(-points[:, 0], -1.0, 1.0)))
    return Laid({"radius": points}, turns)


LAYOUT = Layout(
    id="ball",
    label="Ball",
    help="Evenly on a sphere.",
    params=BallParams,
    sizes=(Size("radius", "Radius", 1.0, low=0.0),),
    count=lambda params: params.count,
    lay=lay,
)

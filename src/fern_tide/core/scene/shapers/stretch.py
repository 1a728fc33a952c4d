"""Stretch: longer or shorter along an axis, as thick as before or of the same volume."""

from __future__ import annotations

from typing import Annotated

import numpy as np

from fern_tide.core.base.params import unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.mesh import Mesh
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.shaper import AMOUNT, BetweenParams, Law, Shaper, between, middle

_LEAST, _MOST = 0.25, 4.0
_RATIO = 2.0**0.125  # from one shape to the next: between two the thickness is off by under 0.1 %


class StretchParams(BetweenParams):
    """Between which planes, and whether its volume stays."""

    volume: Annotated[bool, unit("", "Whether it gets thinner as it gets longer.", label="Keep the volume")] = True


def move(mesh: Mesh, params: StretchParams, *, amount: float) -> FloatArray:
    """Give where points go: s times as long between the planes.

    The other axes are 1 / sqrt(s) times as wide, if the volume stays; the other axis of outlines, whose area stays,
    1 / s times.
    """
    points = mesh.positions
    row = params.axis.row
    first, last = between(points, params)
    inside = np.clip(points[:, row], first, last)
    stretched = points.copy()
    stretched[:, row] = first + amount * (inside - first) + (points[:, row] - inside)
    if params.volume:
        others, centre = params.axis.others, middle(points)
        stretched[:, others] = centre[others] + (points[:, others] - centre[others]) / (
            amount if mesh.is_flat else np.sqrt(amount)
        )
    return stretched


def steps(params: StretchParams) -> np.ndarray:
    """Give lengths from a quarter to four times, each so many times the one before."""
    if not params.volume:
        return np.array([_LEAST, 1.0, _MOST])
    count = round(np.log(_MOST) / np.log(_RATIO))
    return _RATIO ** np.arange(-count, count + 1.0)


SHAPER = Shaper(
    id="stretch",
    label="Stretch",
    help="Longer or shorter along an axis, as thick as before or of the same volume.",
    params=StretchParams,
    law=Law.STEPS,
    amounts=lambda params: (Property(AMOUNT, "Stretch", "x", default=1.0, low=_LEAST, high=_MOST, swing=0.5),),
    move=move,
    steps=steps,
)

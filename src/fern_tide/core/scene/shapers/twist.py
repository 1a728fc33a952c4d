"""Twist: one end is turned against the other."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.mesh import Mesh
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.shaper import AMOUNT, BetweenParams, Law, Shaper, between, even, middle

_STEP = 10.0


class TwistParams(BetweenParams):
    """Between which planes, and how far at most."""

    most: Annotated[float, Field(ge=10, le=720), unit("°", "The most that it can twist, either way.", step=5)] = 180.0


def move(mesh: Mesh, params: TwistParams, *, amount: float) -> FloatArray:
    """Give where points go: turned about the axis through the middle, by more the farther they are along it."""
    points = mesh.positions
    first, last = between(points, params)
    turn = np.radians(amount) * np.clip((points[:, params.axis.row] - first) / (last - first), 0.0, 1.0)
    one, other = (params.axis.row + 1) % 3, (params.axis.row + 2) % 3
    centre = middle(points)
    u, v = points[:, one] - centre[one], points[:, other] - centre[other]
    twisted = points.copy()
    twisted[:, one] = centre[one] + u * np.cos(turn) - v * np.sin(turn)
    twisted[:, other] = centre[other] + u * np.sin(turn) + v * np.cos(turn)
    return twisted


def amounts(params: TwistParams) -> tuple[Property, ...]:
    """Give its angle."""
    return (Property(AMOUNT, "Twist", "°", low=-params.most, high=params.most, step=1, swing=params.most / 2),)


SHAPER = Shaper(
    id="twist",
    label="Twist",
    help="One end is turned against the other.",
    params=TwistParams,
    law=Law.STEPS,
    amounts=amounts,
    move=move,
    steps=lambda params: even(params.most, step=_STEP),
)

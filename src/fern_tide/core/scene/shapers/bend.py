"""Bend: what lies between two planes becomes an arc of the same length."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.mesh import Mesh
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.shaper import AMOUNT, Axis, BetweenParams, Law, Shaper, between, even, middle

_STEP = 10.0  # degrees: half way between two shapes a point is off by an eighth of its square, 0.4 % of the length


class BendParams(BetweenParams):
    """Between which planes, and to which side."""

    toward: Annotated[Axis, unit("", "To which side it bends.")] = Axis.X
    most: Annotated[float, Field(ge=10, le=360), unit("°", "The most that it can bend, either way.", step=5)] = 90.0


def move(mesh: Mesh, params: BendParams, *, amount: float) -> FloatArray:
    """Give where points go; beyond the planes it goes on straight (SIGNAL.md, 'Many pieces')."""
    points = mesh.positions
    angle = np.radians(amount)
    if abs(angle) < 1e-9:
        return points
    row = params.axis.row
    side = params.toward.row if params.toward is not params.axis else params.axis.others[0]
    first, last = between(points, params)
    radius = (last - first) / angle
    inside = np.clip(points[:, row], first, last)
    beyond = points[:, row] - inside
    turn = (inside - first) / radius
    centre = middle(points)[side]
    away = radius - (points[:, side] - centre)
    bent = points.copy()
    bent[:, row] = first + away * np.sin(turn) + beyond * np.cos(turn)
    bent[:, side] = centre + radius - away * np.cos(turn) + beyond * np.sin(turn)
    return bent


def amounts(params: BendParams) -> tuple[Property, ...]:
    """Give its angle."""
    most = params.most
    return (Property(AMOUNT, "Bend", "°", low=-most, high=most, step=1, swing=most / 2),)


SHAPER = Shaper(
    id="bend",
    label="Bend",
    help="What lies between two planes becomes an arc of the same length.",
    params=BendParams,
    law=Law.STEPS,
    amounts=amounts,
    move=move,
    steps=lambda params: even(params.most, step=_STEP),
)

"""What a shaper is: it gives solids and outlines another shape, by amounts that sound can drive."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Annotated, Any, Protocol

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.mesh import Mesh
from fern_tide.core.scene.properties import Property

AMOUNT, PHASE = "amount", "phase"


class Axis(StrEnum):
    """An axis of a part's own space."""

    X = "x"
    Y = "y"
    Z = "z"

    @property
    def row(self) -> int:
        """Its place among three numbers."""
        return "xyz".index(self)

    @property
    def others(self) -> list[int]:
        """The places of the other two."""
        return [row for row in range(3) if row != self.row]


class Law(StrEnum):
    """How many shapes stand for any amount, and how much of each is seen.

    'steps': shapes at given amounts; between two of them both, straight. 'line': one, as much of it as the amount is
    from rest. 'wave': two, amount cos(phase) of one and amount sin(phase) of the other.
    """

    STEPS = "steps"
    LINE = "line"
    WAVE = "wave"


def _no_steps(params: Any) -> FloatArray:
    return np.zeros(0)


class Move(Protocol):
    """Gives where the points of a mesh go."""

    def __call__(self, mesh: Mesh, params: Any, *, amount: float) -> FloatArray:
        """Give them, shape (vertices, 3)."""


@dataclass(frozen=True)
class Shaper:
    """One way to give a solid or an outline another shape.

    Attributes:
        id: the file's name.
        label: what people read.
        help: one line on what it does.
        params: the model of its options.
        law: how many shapes stand for any amount.
        amounts: its properties: 'amount', and of a wave 'phase'.
        move: gives where points go, shape (vertices, 3), from a mesh, params and an amount, at phase 0.
        steps: of 'steps', the amounts of its shapes, rising, the rest among them.
        flat_params: what of its options a new one has on a 2D stage, where lengths are in px.
        quarter: of 'wave', what the second shape adds for an amount of 1, from a mesh and params.
    """

    id: str
    label: str
    help: str
    params: type[Params]
    law: Law
    amounts: Callable[[Any], tuple[Property, ...]]
    move: Move
    steps: Callable[[Any], FloatArray] = _no_steps
    quarter: Callable[[Mesh, Any], FloatArray] | None = None
    flat_params: Mapping[str, Any] = field(default_factory=dict)


class BetweenParams(Params):
    """The two planes that it acts between."""

    axis: Annotated[Axis, unit("", "Along which of its axes.")] = Axis.Y
    first: Annotated[float, Field(ge=0, le=1), unit("", "Where it begins, as a share of its size.")] = 0.0
    last: Annotated[float, Field(ge=0, le=1), unit("", "Where it ends, as a share of its size.")] = 1.0


def between(points: FloatArray, params: BetweenParams) -> tuple[float, float]:
    """Give where two planes lie, in metres; planes that are one are kept a hair apart."""
    column = points[:, params.axis.row]
    low, high = float(column.min()), float(column.max())
    ends = sorted((low + params.first * (high - low), low + params.last * (high - low)))
    return ends[0], max(ends[1], ends[0] + 1e-6 * max(1e-3, high - low))


def middle(points: FloatArray) -> FloatArray:
    """Give the middle of points, shape (3,)."""
    return np.asarray((points.min(axis=0) + points.max(axis=0)) / 2)


def even(most: float, *, step: float) -> FloatArray:
    """Give steps from -most to most with 0 among them, none longer than a step."""
    count = int(np.ceil(most / step))
    return np.linspace(-most, most, 2 * count + 1)

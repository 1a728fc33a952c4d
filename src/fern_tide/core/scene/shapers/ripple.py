"""Ripple: a wave that runs over it."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.mesh import Mesh
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.shaper import AMOUNT, PHASE, Axis, Law, Shaper, middle


class Runs(StrEnum):
    """Which way waves run."""

    FIRST = "across"
    SECOND = "the other way"
    ROUND = "outward"


class RippleParams(Params):
    """How long its waves are, and which way they run."""

    axis: Annotated[Axis, unit("", "Along which axis it moves.")] = Axis.Y
    runs: Annotated[Runs, unit("", "Which way its waves run.")] = Runs.ROUND
    wavelength: Annotated[float, Field(gt=0, le=100_000), unit("m", "From crest to crest.", step=0.05)] = 0.5


def _angle(points: FloatArray, params: RippleParams) -> FloatArray:
    one, other = params.axis.others
    u, v = (points - middle(points))[:, [one, other]].T
    distance = np.hypot(u, v) if params.runs is Runs.ROUND else u if params.runs is Runs.FIRST else v
    return np.asarray(2 * np.pi * distance / params.wavelength)


def move(mesh: Mesh, params: RippleParams, *, amount: float) -> FloatArray:
    """Give where points go at phase 0: up by A sin(2 pi d / wavelength), d being how far along the wave they are."""
    points = mesh.positions
    rippled = points.copy()
    rippled[:, params.axis.row] += amount * np.sin(_angle(points, params))
    return rippled


def quarter(mesh: Mesh, params: RippleParams) -> FloatArray:
    """Give what a phase of a quarter adds: sin(d - phase) is cos(phase) sin(d) - sin(phase) cos(d)."""
    points = mesh.positions
    added = np.zeros_like(points)
    added[:, params.axis.row] = -np.cos(_angle(points, params))
    return added


SHAPER = Shaper(
    id="ripple",
    label="Ripple",
    help="A wave that runs over it.",
    params=RippleParams,
    law=Law.WAVE,
    amounts=lambda params: (
        Property(AMOUNT, "Ripple", "m", step=0.01, swing=0.1),
        Property(PHASE, "Ripple: phase", "°", step=5, swing=360.0),
    ),
    move=move,
    quarter=quarter,
    flat_params={"wavelength": 80.0},
)

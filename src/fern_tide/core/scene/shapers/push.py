"""Push: in and out by seeded bumps."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.mesh import Mesh
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.shaper import AMOUNT, Law, Shaper

_WAVES = 24


class PushParams(Params):
    """How large its bumps are, and which."""

    size: Annotated[float, Field(gt=0, le=100_000), unit("m", "From bump to bump.", step=0.05)] = 0.4
    seed: Annotated[int, Field(ge=0, le=2**31 - 1), unit("", "Other bumps for another number.")] = 0


def bumps(points: FloatArray, params: PushParams) -> FloatArray:
    """Give how high the bumps are at points, about -1 to 1: plane waves of seeded ways and phases, added up."""
    dice = np.random.Generator(np.random.PCG64(params.seed))
    ways = dice.normal(size=(_WAVES, 3))
    ways *= 2 * np.pi / (params.size * np.linalg.norm(ways, axis=1, keepdims=True))
    phases = dice.uniform(0, 2 * np.pi, _WAVES)
    return np.asarray(np.sin(points @ ways.T + phases).sum(axis=1) / np.sqrt(_WAVES))


def move(mesh: Mesh, params: PushParams, *, amount: float) -> FloatArray:
    """Give where points go: along their normals."""
    points = mesh.positions
    return np.asarray(points + amount * bumps(points, params)[:, np.newaxis] * mesh.normals)


SHAPER = Shaper(
    id="push",
    label="Push",
    help="In and out by seeded bumps.",
    params=PushParams,
    law=Law.LINE,
    amounts=lambda params: (Property(AMOUNT, "Push", "m", step=0.01, swing=0.08),),
    move=move,
    flat_params={"size": 60.0},
)

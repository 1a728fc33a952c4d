"""Taper: one end gets wider or narrower."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.mesh import Mesh
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.shaper import AMOUNT, BetweenParams, Law, Shaper, between, middle


class TaperParams(BetweenParams):
    """Between which planes."""


def move(mesh: Mesh, params: TaperParams, *, amount: float) -> FloatArray:
    """Give where points go: as wide as before at the first plane, so many times as wide at the last."""
    points = mesh.positions
    first, last = between(points, params)
    share = np.clip((points[:, params.axis.row] - first) / (last - first), 0.0, 1.0)
    others, centre = params.axis.others, middle(points)
    tapered = points.copy()
    wide = (1.0 + (amount - 1.0) * share)[:, np.newaxis]
    tapered[:, others] = centre[others] + (points[:, others] - centre[others]) * wide
    return tapered


SHAPER = Shaper(
    id="taper",
    label="Taper",
    help="One end gets wider or narrower.",
    params=TaperParams,
    law=Law.LINE,
    amounts=lambda params: (Property(AMOUNT, "Taper", "x", default=1.0, low=0.0, swing=-0.5),),
    move=move,
)

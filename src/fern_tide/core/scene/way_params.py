"""Ways that are drawn here: points with handles, to move along."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field, StringConstraints, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.limits import Most
from fern_tide.core.base.params import Frozen, Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.drive import Number
from fern_tide.core.scene.svg.outline import path_curves
from fern_tide.core.scene.way import straight, through

MOST_POINTS = 1000
PathData = Annotated[str, StringConstraints(pattern=r"^[MC0-9eE+\-. ]*$", max_length=200_000)]


class WayPoint(Frozen, frozen=True):
    """A point of a way.

    Attributes:
        x: across, in px or metres; y is down in 2D and up in 3D, z towards you.
        handle: how far its handle lies from it, on the same axes; None leaves that to its neighbours.
    """

    x: Number = 0.0
    y: Number = 0.0
    z: Number = 0.0
    handle: tuple[Number, Number, Number] | None = None


class WayParams(Params):
    """Its points, and what lies between them."""

    points: Annotated[
        tuple[WayPoint, ...],
        Field(min_length=2),
        Most(MOST_POINTS),
        unit("", "Where it leads through.", kind="points"),
    ] = (WayPoint(x=-1.0), WayPoint(y=1.0), WayPoint(x=1.0))
    smooth: Annotated[bool, unit("", "Whether it bends through its points; otherwise it has corners there.")] = True
    closed: Annotated[bool, unit("", "Whether it goes back to its first point.")] = False
    data: Annotated[PathData, unit("", "The outline that it was taken from, in place of points.", kind="given")] = ""

    @model_validator(mode="after")
    def _has_a_line(self) -> WayParams:
        if self.data and not len(path_curves(self.data)):
            raise InvalidParameter(
                "the outline of a way", value=self.data[:40], allowed="path data that draws something"
            )
        return self


def curves(params: WayParams) -> FloatArray:
    """Give its curves, shape (curves, 4, 3)."""
    if params.data:
        return path_curves(params.data)
    points = np.array([(item.x, item.y, item.z) for item in params.points], dtype=np.float64)
    if not params.smooth:
        return straight(points, closed=params.closed)
    nothing = (np.nan,) * 3
    handles = np.array([item.handle or nothing for item in params.points], dtype=np.float64)
    return through(points, closed=params.closed, handles=handles)

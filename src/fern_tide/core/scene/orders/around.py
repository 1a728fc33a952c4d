"""Round a point: by the angle from a start."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.params import unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.ordering import AboutPoint, Order, angles_about, by_key


class AroundParams(AboutPoint):
    """The point, and where to start."""

    start_degrees: Annotated[
        float, Field(ge=-360, le=360), unit("°", "Where it starts; 0 is to the right, 90 above.", step=5, label="Start")
    ] = 90.0
    lying: Annotated[bool, unit("", "In 3D: whether it goes round as seen from above.", label="From above")] = True


def ranks(middles: FloatArray, params: AroundParams) -> FloatArray:
    """Give ranks by the angle, counter-clockwise."""
    seen = params.seen_from(middles)
    return by_key(angles_about(seen, lying=params.lying, start_degrees=params.start_degrees).round(9))


ORDER = Order(id="around", label="Round a point", help="By the angle about a point.", ranks=ranks, params=AroundParams)

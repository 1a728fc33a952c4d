"""Scale about rest: the same motion, larger or smaller."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.bake.touch import Stretch, Touch
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray


class ScaleParams(Params):
    """How large."""

    percent: Annotated[
        float, Field(ge=-1000, le=1000), unit("%", "How much of the motion is left; below 0 it turns over.", step=5)
    ] = 50.0


def scale(stretch: Stretch, params: ScaleParams) -> FloatArray:
    """Give rest + c (v - rest)."""
    rest = stretch.rest_below
    return rest + params.percent / 100 * (stretch.below - rest)


TOUCH = Touch(
    id="scale",
    label="Scale",
    help="Makes the motion larger or smaller, about where it rests.",
    params=ScaleParams,
    apply=scale,
    words=lambda params: f"scaled to {params.percent:g} % about rest",
    soft=0.15,
)

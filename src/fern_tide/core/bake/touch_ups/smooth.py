"""Smooth: the same motion without its jitter."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.bake.touch import Stretch, Touch
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.clean_up.smooth import smooth_stretch


class SmoothParams(Params):
    """How wide the bell is."""

    width_ms: Annotated[
        float, Field(ge=0, le=10_000), unit("ms", "The bell's full width at half its height.", step=10)
    ] = 200.0


def smooth(stretch: Stretch, params: SmoothParams) -> FloatArray:
    """Give v convolved with a Gaussian centred on each frame; the frames around the stretch count too."""
    first, end = stretch.first, stretch.end
    return smooth_stretch(stretch.values, first=first, end=end, width_ms=params.width_ms, rate=stretch.rate)


TOUCH = Touch(
    id="smooth",
    label="Smooth",
    help="Takes out jitter, centred in time.",
    params=SmoothParams,
    apply=smooth,
    words=lambda params: f"smoothed over {params.width_ms:g} ms",
    soft=0.15,
)

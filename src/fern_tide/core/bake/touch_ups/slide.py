"""Slide in time: the motion of another time."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.bake.touch import Stretch, Touch
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray


class SlideParams(Params):
    """How far."""

    late_frames: Annotated[
        float, Field(ge=-100_000, le=100_000), unit("frames", "How much later it moves; below 0 it is earlier.", step=1)
    ] = 3.0


def slide(stretch: Stretch, params: SlideParams) -> FloatArray:
    """Give v(k - late), fractions linearly between two frames; beyond the ends the first and last value go on."""
    n = stretch.values.shape[-1]
    if params.late_frames.is_integer():
        frames = np.arange(stretch.first, stretch.end) - int(params.late_frames)
        return np.asarray(stretch.values.take(frames, axis=-1, mode="clip"))
    moments = np.clip(np.arange(stretch.first, stretch.end) - params.late_frames, 0, n - 1)
    frames = np.arange(int(moments[0]), min(int(moments[-1]) + 2, n))  # that it comes from
    rows = np.atleast_2d(stretch.values[..., frames[0] : frames[-1] + 1])
    moved = np.stack([np.interp(moments, frames, row) for row in rows])
    return moved.reshape(stretch.below.shape)


TOUCH = Touch(
    id="slide",
    label="Slide",
    help="Moves earlier or later than the sound.",
    params=SlideParams,
    apply=slide,
    words=lambda params: f"{abs(params.late_frames):g} frames {'later' if params.late_frames >= 0 else 'earlier'}",
    soft=0.15,
)

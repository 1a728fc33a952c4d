"""Hold: keeps every peak up for a while, so that a short hit is seen."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.live import Flow, Live, Looking
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray, extended
from fern_tide.core.envelope.cleaning import CleanUp


class HoldParams(Params):
    """How long a peak is kept."""

    hold_ms: Annotated[float, Field(ge=0, le=10_000), unit("ms", "Each level stays up this long.", step=10)] = 120.0


def hold(level: FloatArray, *, params: HoldParams, rate: FrameRate) -> FloatArray:
    """Give the highest level of the last so many frames, the present one included.

    Args:
        level: shape (..., frames).
        params: the time is rounded to whole frames.
        rate: turns the time into frames.

    Returns:
        The same shape; never below the level.
    """
    frames = round(rate.frames_of_ms(params.hold_ms))
    if frames <= 0 or level.shape[-1] == 0:
        return level.copy()
    padded = extended(level, before=frames)
    return np.asarray(np.lib.stride_tricks.sliding_window_view(padded, frames + 1, axis=-1).max(axis=-1))


def flow(params: HoldParams, rate: FrameRate) -> Flow:
    """Give what holds peaks as they come."""
    back = round(rate.frames_of_ms(params.hold_ms))
    return Looking(lambda level: hold(level, params=params, rate=rate), back_frames=back)


CLEAN_UP = CleanUp(
    id="hold",
    label="Hold",
    help="Keeps every peak up for a while, so that a short hit is seen.",
    params=HoldParams,
    apply=hold,
    live=Live(flow),
)

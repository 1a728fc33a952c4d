"""Despike: takes out single frames that stick out, and leaves the shape of everything longer."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.live import Flow, Live, Looking
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray, extended
from fern_tide.core.envelope.cleaning import CleanUp


class DespikeParams(Params):
    """How wide the running median looks."""

    width_ms: Annotated[
        float, Field(ge=0, le=2_000), unit("ms", "Takes out what is shorter than half of this.", step=10)
    ] = 100.0


def despike(level: FloatArray, *, params: DespikeParams, rate: FrameRate) -> FloatArray:
    """Give the running median over an odd number of frames centred on each.

    Args:
        level: shape (..., frames).
        params: the width is rounded to an odd number of frames, at least one.
        rate: turns the width into frames.

    Returns:
        The same shape; at the ends the first and last level go on.
    """
    half = _half(params, rate)
    return _medians(level, before=half, after=half)


def _half(params: DespikeParams, rate: FrameRate) -> int:
    return max(0, round((rate.frames_of_ms(params.width_ms) - 1) / 2))


def _medians(level: FloatArray, *, before: int, after: int) -> FloatArray:
    if before + after == 0 or level.shape[-1] == 0:
        return level.copy()
    padded = extended(level, before=before, after=after)
    views = np.lib.stride_tricks.sliding_window_view(padded, before + after + 1, axis=-1)
    return np.asarray(np.median(views, axis=-1), dtype=np.float64)


def flow(params: DespikeParams, rate: FrameRate) -> Flow:
    """Give the running median of as many frames, the present one being the last."""
    back = 2 * _half(params, rate)
    return Looking(lambda level: _medians(level, before=back, after=0), back_frames=back)


CLEAN_UP = CleanUp(
    id="despike",
    label="Despike",
    help="Takes out single frames that stick out.",
    params=DespikeParams,
    apply=despike,
    live=Live(flow, lag_frames=_half),
)

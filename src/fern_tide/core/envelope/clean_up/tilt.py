"""Tilt: the bands of a bank louder towards one end."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.live import Flow, Live, Looking
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.cleaning import CleanUp


class TiltParams(Params):
    """How steep."""

    ends_db: Annotated[
        float, Field(ge=-60, le=60), unit("dB", "How much the highest band gains against the lowest.", step=1)
    ] = 12.0


def tilt(level: FloatArray, *, params: TiltParams, rate: FrameRate) -> FloatArray:
    """Raise each row by its place, the middle of the bank staying as it is.

    Args:
        level: shape (..., rows, frames), lowest first; a single level, (frames,), stays.
        params: the highest row gains half of it in dB, the lowest loses half.
        rate: not used; every clean-up has it.
    """
    if level.ndim < 2 or level.shape[-2] < 2:
        return level.copy()
    gains_db = np.linspace(-0.5, 0.5, level.shape[-2]) * params.ends_db
    return np.asarray(level * (10.0 ** (gains_db / 20.0))[:, None], dtype=np.float64)


def flow(params: TiltParams, rate: FrameRate) -> Flow:
    """Give the same, which knows no time."""
    return Looking(lambda level: tilt(level, params=params, rate=rate), back_frames=0)


CLEAN_UP = CleanUp(
    id="tilt",
    label="Tilt",
    help="Bands of a bank louder towards the highs, or the lows.",
    params=TiltParams,
    apply=tilt,
    across_rows=True,
    live=Live(flow),
)

"""Equalise: brings the loudest of a level to full scale, so that quiet tracks use the same marks as loud ones."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.cleaning import CleanUp

SILENT = 1e-6  # -120 dB: what is never louder than this is left alone


class EqualiseParams(Params):
    """What is brought to full scale."""

    percentile: Annotated[
        float,
        Field(ge=50, le=100),
        unit("%", "100 is the loudest frame; a little less forgives a hit.", step=0.5),
    ] = 99.5


def equalise(level: FloatArray, *, params: EqualiseParams, rate: FrameRate) -> FloatArray:
    """Divide a level by its own percentile, each row by itself.

    Args:
        level: shape (..., frames), linear.
        params: the percentile of the frames that becomes 1.0.
        rate: not used; every clean-up has it.

    Returns:
        The same shape; a silent row stays as it is.
    """
    return equalise_rows(level, percentile=params.percentile)


def equalise_rows(level: FloatArray, *, percentile: float, together: bool = False) -> FloatArray:
    """Divide each row by its own percentile, or all rows by that of the loudest; a silent row stays as it is.

    Args:
        level: shape (..., frames).
        percentile: of the frames, 0 to 100, that becomes 1.0.
        together: whether rows keep their distance.
    """
    if level.shape[-1] == 0:
        return level.copy()
    top = np.percentile(level, percentile, axis=-1, keepdims=True)
    if together:
        top = np.max(top, keepdims=True)
    return np.asarray(level / np.where(top > SILENT, top, 1.0), dtype=np.float64)


CLEAN_UP = CleanUp(
    id="equalise",
    label="Equalise",
    help="Brings the loudest frames to full scale.",
    params=EqualiseParams,
    apply=equalise,
)

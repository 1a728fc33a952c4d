"""Cap: nothing is louder than a ceiling."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.units import from_db
from fern_tide.core.envelope.cleaning import CleanUp


class CapParams(Params):
    """Where the ceiling is."""

    at_db: Annotated[float, Field(ge=-120, le=24), unit("dB", "Nothing is louder than this.", step=1)] = -12.0


def cap(level: FloatArray, *, params: CapParams, rate: FrameRate) -> FloatArray:
    """Give the level, at most as high as the ceiling; shape (..., frames)."""
    return np.asarray(np.minimum(level, from_db(params.at_db)))


CLEAN_UP = CleanUp(id="cap", label="Cap", help="Lets nothing be louder than a ceiling.", params=CapParams, apply=cap)

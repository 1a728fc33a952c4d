"""Nudge: a bump with soft ends, laid over the motion."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from pydantic import Field

from fern_tide.core.bake.touch import Stretch, Touch
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray

_SHARE = 0.1  # of the curve's range: how high a new bump is


class NudgeParams(Params):
    """How high the bump is."""

    amount: Annotated[float, Field(ge=-1e9, le=1e9), unit("", "How much is added, in the property's unit.")] = 0.0


def nudge(stretch: Stretch, params: NudgeParams) -> FloatArray:
    """Give v + bump."""
    return stretch.below + params.amount


def begins(stretch: Stretch) -> dict[str, Any]:
    """Begin with a tenth of the curve's range upward."""
    return {"amount": float(f"{_SHARE * (float(np.ptp(stretch.values)) or 1.0):.3g}")}


TOUCH = Touch(
    id="nudge",
    label="Nudge",
    help="Lifts or lowers the motion, softly at both ends.",
    params=NudgeParams,
    apply=nudge,
    words=lambda params: f"nudged by {params.amount:+.4g}",
    soft=0.5,
    begins=begins,
    colours=False,
)

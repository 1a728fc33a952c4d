"""Flip: full in silence, rest when it is loud."""

from __future__ import annotations

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.step import Step, StepContext, momentary


class FlipParams(Params):
    """Flip has nothing to set."""


def flip(lift: FloatArray, *, params: FlipParams, context: StepContext) -> FloatArray:
    """Give 1 - lift; shape (..., frames) stays."""
    return 1.0 - lift


STEP = Step(
    id="flip",
    label="Flip",
    help="Full in silence, rest when it is loud.",
    params=FlipParams,
    apply=flip,
    live=momentary(flip),
)

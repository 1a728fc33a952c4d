"""Wrap: what leaves a range at one end comes in at the other."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.span import SpanParams
from fern_tide.core.mapping.step import Step, StepContext, momentary


def wrap(lift: FloatArray, *, params: SpanParams, context: StepContext) -> FloatArray:
    """Wrap lift around a range: past an end it begins anew at the other.

    Args:
        lift: any shape.
        params: the range; its upper end itself is the lower one.
        context: not used; every step has it.
    """
    return np.asarray(params.low + (lift - params.low) % (params.high - params.low))


STEP = Step(
    id="wrap",
    label="Wrap",
    help="Comes in at the other end of a range when it leaves it.",
    params=SpanParams,
    apply=wrap,
    live=momentary(wrap),
    shown={"high": 0.6},
)

"""Fold: what leaves a range is turned back into it, to and fro."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.span import SpanParams
from fern_tide.core.mapping.step import Step, StepContext, momentary


def fold(lift: FloatArray, *, params: SpanParams, context: StepContext) -> FloatArray:
    """Fold lift into a range: past an end it runs back.

    Args:
        lift: any shape.
        params: the range.
        context: not used; every step has it.
    """
    width = params.high - params.low
    return np.asarray(params.low + width - np.abs((lift - params.low) % (2 * width) - width))


STEP = Step(
    id="fold",
    label="Fold",
    help="Turns back at the ends of a range, to and fro.",
    params=SpanParams,
    apply=fold,
    live=momentary(fold),
    shown={"high": 0.6},
)

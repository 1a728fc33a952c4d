"""Latch: on above one level, and off only below another."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.live import Live
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.step import Step, StepContext


class LatchParams(Params):
    """The two levels."""

    on_above: Annotated[float, Field(ge=0, le=1), unit("", "The lift at which it goes on.", step=0.05)] = 0.6
    off_below: Annotated[float, Field(ge=0, le=1), unit("", "The lift below which it goes off.", step=0.05)] = 0.4

    @model_validator(mode="after")
    def _in_order(self) -> LatchParams:
        if self.off_below > self.on_above:
            allowed = f"at most On above, {self.on_above:g}"
            raise InvalidParameter("Off below", value=self.off_below, allowed=allowed, field="off_below")
        return self


def latch(lift: FloatArray, *, params: LatchParams, context: StepContext) -> FloatArray:
    """Switch on at or above one level and off below another, which is not higher; it begins off.

    Args:
        lift: shape (..., frames).
        params: the levels.
        context: not used; every step has it.

    Returns:
        The same shape, of 0 and 1.
    """
    return Latch(params, context)(lift, context=context)


class Latch:
    """Stays on or off from one stretch to the next."""

    def __init__(self, params: LatchParams, context: StepContext) -> None:
        self._on, self._off = max(params.on_above, 1e-12), params.off_below
        self._was: FloatArray | float = 0.0

    def __call__(self, lift: FloatArray, *, context: StepContext) -> FloatArray:
        """Take the next frames."""
        switches = np.where(lift >= self._on, 1, np.where(lift < self._off, 0, -1))
        frames = np.arange(lift.shape[-1])
        last = np.maximum.accumulate(np.where(switches >= 0, frames, -1), axis=-1)
        state = np.take_along_axis(switches, np.maximum(last, 0), axis=-1)
        out = np.where(last >= 0, state, self._was).astype(np.float64)
        self._was = out[..., -1:]
        return out


STEP = Step(
    id="latch",
    label="Latch",
    help="Switches on above one level, and off only below another.",
    params=LatchParams,
    apply=latch,
    live=Live(Latch),
)

"""Hold: the move shows a new place only every few frames, as drawn animation on twos or threes does."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.live import Live
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.step import Step, StepContext


class HoldParams(Params):
    """How long each place is kept."""

    every: Annotated[int, Field(ge=1, le=1000), unit("frames", "How many frames each place is kept.")] = 2


def hold(lift: FloatArray, *, params: HoldParams, context: StepContext) -> FloatArray:
    """Keep the lift of every Nth frame, counted from frame 0, until the next.

    Args:
        lift: shape (..., frames).
        params: every is N; 1 changes nothing.
        context: not used; every step has it.

    Returns:
        The same shape; frame k has the lift of frame k - k mod N.
    """
    frames = np.arange(lift.shape[-1])
    return np.asarray(lift[..., frames - frames % params.every], dtype=np.float64)


class Hold:
    """Keeps places from one stretch to the next."""

    def __init__(self, params: HoldParams, context: StepContext) -> None:
        self._every, self._first = params.every, 0
        self._place: FloatArray | None = None

    def __call__(self, lift: FloatArray, *, context: StepContext) -> FloatArray:
        """Take the next frames."""
        before = lift[..., :1] if self._place is None else self._place
        frames = self._first + np.arange(lift.shape[-1])
        places = np.maximum(frames - frames % self._every - self._first, -1)
        out = np.concatenate([lift, before], axis=-1)[..., places]  # -1 is the place from before
        self._first += lift.shape[-1]
        self._place = out[..., -1:] if lift.shape[-1] else self._place
        return np.asarray(out, dtype=np.float64)


STEP = Step(
    id="hold",
    label="Hold",
    help="Shows a new place only every few frames, as animation on twos.",
    params=HoldParams,
    apply=hold,
    live=Live(Hold),
)

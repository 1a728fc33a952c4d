"""Wobble: smooth chance, as much of it as there is sound."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.live import Live
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.step import Step, StepContext


class WobbleParams(Params):
    """How fast and how much."""

    speed_hz: Annotated[
        float, Field(gt=0, le=60), unit("Hz", "How often it changes its mind in a second.", step=0.5)
    ] = 4.0
    share: Annotated[float, Field(ge=0, le=1), unit("", "How much of lift trembles; 1 is all of it.", step=0.05)] = 0.5


def wobble(lift: FloatArray, *, params: WobbleParams, context: StepContext) -> FloatArray:
    """Mix lift with itself times smooth noise from -1 to 1, drawn from the mapping's seed.

    Args:
        lift: shape (..., frames).
        params: see WobbleParams.
        context: its rate says when a frame is, its seed which noise it is.

    Returns:
        The same shape; 0 where lift is 0. The noise runs through random points, evenly in time, as cubics with level
        ends (value noise), so that any frame rate sees the same noise.
    """
    return Wobble(params, context)(lift, context=context)


class Wobble:
    """Trembles on from one stretch to the next: points are drawn as time comes to them."""

    def __init__(self, params: WobbleParams, context: StepContext) -> None:
        self._params, self._first = params, 0
        self._random = np.random.default_rng(context.seed)
        self._points, self._passed = np.zeros(0), 0

    def __call__(self, lift: FloatArray, *, context: StepContext) -> FloatArray:
        """Take the next frames."""
        params, frames = self._params, np.arange(self._first, self._first + lift.shape[-1])
        self._first += lift.shape[-1]
        at = frames / context.rate.per_second * params.speed_hz
        before = np.floor(at).astype(np.int64)
        more = int(before[-1]) + 2 - self._passed - len(self._points)
        points = np.concatenate([self._points, self._random.uniform(-1.0, 1.0, max(0, more))])
        here, share = before - self._passed, at - before
        eased = share * share * (3.0 - 2.0 * share)
        noise = points[here] + (points[here + 1] - points[here]) * eased
        gone = int(here[-1])
        self._points, self._passed = points[gone:], self._passed + gone
        return np.asarray(lift * (1.0 - params.share + params.share * noise))


STEP = Step(
    id="wobble",
    label="Wobble",
    help="Trembles smoothly, the more the louder it is.",
    params=WobbleParams,
    apply=wobble,
    live=Live(Wobble),
    draws=True,
)

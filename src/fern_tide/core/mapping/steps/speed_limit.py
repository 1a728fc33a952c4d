"""Speed limit: the move is never faster than so much in a second."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.live import Live
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.step import Step, StepContext


class SpeedLimitParams(Params):
    """How fast it may rise and fall; from rest to full is 1."""

    up: Annotated[
        float, Field(gt=0, le=1000), unit("/s", "How much it may rise in a second.", step=0.5, label="Rise at most")
    ] = 4.0
    down: Annotated[
        float, Field(gt=0, le=1000), unit("/s", "How much it may fall in a second.", step=0.5, label="Fall at most")
    ] = 4.0


def limited(lift: FloatArray, *, params: SpeedLimitParams, context: StepContext) -> FloatArray:
    """Follow the lift as fast as it may: y(k) = y(k-1) + clip(x(k) - y(k-1), -down / r, up / r), from y(0) = x(0).

    Args:
        lift: x, shape (..., frames).
        params: the two limits.
        context: has the frame rate r.

    Returns:
        y, of the same shape.
    """
    return SpeedLimit(params, context)(lift, context=context)


class SpeedLimit:
    """Follows on from one stretch to the next."""

    def __init__(self, params: SpeedLimitParams, context: StepContext) -> None:
        fps = context.rate.per_second
        self._up, self._down = params.up / fps, params.down / fps
        self._now: list[float] = []

    def __call__(self, lift: FloatArray, *, context: StepContext) -> FloatArray:
        """Take the next frames."""
        flat = lift.reshape(-1, lift.shape[-1])
        begins = self._now or flat[:, 0].tolist()
        rows = [_followed(row, now, self._up, self._down) for row, now in zip(flat.tolist(), begins, strict=True)]
        self._now = [row[-1] for row in rows]
        return np.array(rows, dtype=np.float64).reshape(lift.shape)


def _followed(row: list[float], now: float, up: float, down: float) -> list[float]:
    out = []
    for wanted in row:
        now += min(max(wanted - now, -down), up)
        out.append(now)
    return out


STEP = Step(
    id="speed_limit",
    label="Speed limit",
    help="Never rises or falls faster than so much in a second.",
    params=SpeedLimitParams,
    apply=limited,
    live=Live(SpeedLimit),
)

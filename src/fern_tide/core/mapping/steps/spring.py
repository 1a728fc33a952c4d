"""Spring: follows as a weight on a spring would: late, past the goal, and back."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.live import Live
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.step import Step, StepContext


class SpringParams(Params):
    """How stiff it is and how soon it rests."""

    frequency_hz: Annotated[float, Field(gt=0.01, le=30), unit("Hz", "How fast it swings.", step=0.1)] = 2.0
    damping: Annotated[float, Field(ge=0, le=5), unit("", "0 never rests, 1 does not swing past.", step=0.05)] = 0.35


def spring(lift: FloatArray, *, params: SpringParams, context: StepContext) -> FloatArray:
    """Let a weight on a damped spring follow lift: x'' = w^2 (lift - x) - 2 d w x', at rest before the first frame.

    Args:
        lift: shape (..., frames), taken to run straight from frame to frame.
        params: w is 2 pi times the frequency, d the damping.
        context: its rate says how long a frame is.

    Returns:
        The same shape; solved exactly for such a lift, so that any frame rate sees the same spring.
    """
    return Spring(params, context)(lift, context=context)


class Spring:
    """A weight that swings on from one stretch to the next."""

    def __init__(self, params: SpringParams, context: StepContext) -> None:
        from scipy.linalg import expm  # slow to import

        w, d, self._fps = 2 * np.pi * params.frequency_hz, params.damping, context.rate.per_second
        motion = np.zeros((4, 4))  # of place, speed, lift, and how fast lift changes
        motion[0, 1] = motion[2, 3] = 1.0
        motion[1, :3] = -w * w, -2 * d * w, w * w
        after = expm(motion / self._fps)
        self._by = tuple(after[:2, n].tolist() for n in range(4))
        self._states: list[tuple[float, float, float]] = []

    def __call__(self, lift: FloatArray, *, context: StepContext) -> FloatArray:
        """Take the next frames."""
        flat = lift.reshape(-1, lift.shape[-1])
        self._states = self._states or [(0.0, 0.0, 0.0)] * len(flat)
        rows = [self._follow(index, row.tolist()) for index, row in enumerate(flat)]
        return np.array(rows).reshape(lift.shape)

    def _follow(self, index: int, lift: list[float]) -> list[float]:
        (xx, vx), (xv, vv), (xu, vu), (xs, vs) = self._by
        x, v, before = self._states[index]
        out = []
        for now in lift:
            slope = (now - before) * self._fps
            x, v = xx * x + xv * v + xu * before + xs * slope, vx * x + vv * v + vu * before + vs * slope
            before = now
            out.append(x)
        self._states[index] = x, v, before
        return out


STEP = Step(
    id="spring",
    label="Spring",
    help="Follows as a weight on a spring: past the goal, and back.",
    params=SpringParams,
    apply=spring,
    live=Live(Spring),
)

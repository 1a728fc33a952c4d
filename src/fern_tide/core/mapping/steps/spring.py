"""Spring: follows as a weight on a spring would: late, past the goal, and back."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

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
    from scipy.linalg import expm  # slow to import

    w, d, h = 2 * np.pi * params.frequency_hz, params.damping, 1.0 / float(context.rate.fps)
    motion = np.zeros((4, 4))  # of place, speed, lift, and how fast lift changes
    motion[0, 1] = motion[2, 3] = 1.0
    motion[1, :3] = -w * w, -2 * d * w, w * w
    x, v, u, s = (expm(motion * h)[:2, n].tolist() for n in range(4))
    flat = lift.reshape(-1, lift.shape[-1])
    return np.array([_follow(row.tolist(), (x, v, u, s), 1.0 / h) for row in flat]).reshape(lift.shape)


def _follow(lift: list[float], by: tuple[list[float], ...], fps: float) -> list[float]:
    (xx, vx), (xv, vv), (xu, vu), (xs, vs) = by
    x = v = before = 0.0
    out = []
    for now in lift:
        slope = (now - before) * fps
        x, v = xx * x + xv * v + xu * before + xs * slope, vx * x + vv * v + vu * before + vs * slope
        before = now
        out.append(x)
    return out


STEP = Step(
    id="spring",
    label="Spring",
    help="Follows as a weight on a spring: past the goal, and back.",
    params=SpringParams,
    apply=spring,
)

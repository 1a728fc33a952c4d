"""Pulse: at each hit a rise and a fall of a fixed shape."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.rises import rises
from fern_tide.core.mapping.step import Step, StepContext


class PulseParams(Params):
    """The shape."""

    attack_ms: Annotated[float, Field(ge=0, le=10_000), unit("ms", "How long it rises.", step=5)] = 20.0
    decay_ms: Annotated[float, Field(gt=0, le=60_000), unit("ms", "How long it falls.", step=10)] = 300.0
    as_strong: Annotated[bool, unit("", "Whether a pulse is as high as its hit; else all are full.")] = False


def pulse(lift: FloatArray, *, params: PulseParams, context: StepContext) -> FloatArray:
    """Begin a pulse at every rise over low water; of those that overlap the highest counts.

    Args:
        lift: shape (..., frames).
        params: see PulseParams.
        context: its rate says how long a frame is.

    Returns:
        The same shape, from 0 to 1: up evenly in the attack, down as (1 - t / decay)^2. The height of a hit is the
        highest lift before the next one.
    """
    flat = lift.reshape(-1, lift.shape[-1])
    return np.array([_pulses(row, params, float(context.rate.fps)) for row in flat]).reshape(lift.shape)


def _pulses(row: FloatArray, params: PulseParams, fps: float) -> FloatArray:
    out = np.zeros_like(row)
    starts = np.flatnonzero(rises(row))
    attack, decay = params.attack_ms / 1000.0, params.decay_ms / 1000.0
    time_s = np.arange(int((attack + decay) * fps) + 2) / fps
    rising = time_s / attack if attack else np.ones_like(time_s)
    shape = np.where(time_s < attack, rising, np.clip(1.0 - (time_s - attack) / decay, 0.0, 1.0) ** 2)
    for start, end in pairwise([*starts, len(row)]):
        high = min(1.0, float(row[start:end].max())) if params.as_strong else 1.0
        part = out[start : start + len(shape)]
        np.maximum(part, shape[: len(part)] * high, out=part)
    return out


STEP = Step(
    id="pulse",
    label="Pulse",
    help="Gives each hit a rise and a fall of its own shape.",
    params=PulseParams,
    apply=pulse,
)

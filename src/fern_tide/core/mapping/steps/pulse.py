"""Pulse: at each hit a rise and a fall of a fixed shape."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated

import numpy as np
import numpy.typing as npt
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.moments import HitSource, hits_of, needs_hits, needs_markers
from fern_tide.core.mapping.step import Step, StepContext


class PulseParams(Params):
    """The shape."""

    attack_ms: Annotated[float, Field(ge=0, le=10_000), unit("ms", "How long it rises.", step=5)] = 20.0
    decay_ms: Annotated[float, Field(gt=0, le=60_000), unit("ms", "How long it falls.", step=10)] = 300.0
    as_strong: Annotated[bool, unit("", "Whether a pulse is as high as its hit; else all are full.")] = False
    hits: Annotated[HitSource, unit("", "Rises over low water, the track's hits, or markers.")] = HitSource.MARKS


def pulse(lift: FloatArray, *, params: PulseParams, context: StepContext) -> FloatArray:
    """Begin a pulse at every hit; of those that overlap the highest counts.

    Args:
        lift: shape (..., frames).
        params: see PulseParams.
        context: its rate says how long a frame is, and it has the track's hits, where they count.

    Returns:
        The same shape, from 0 to 1: up evenly to the frame nearest the attack's end, which is at the top, so that the
        hit's own frame already moves; then down as (1 - t / decay)^2. The height of a hit is its strength, or of a
        rise over low water the highest lift before the next one.
    """
    flat = lift.reshape(-1, lift.shape[-1])
    hits = hits_of(flat, params.hits, context=context)
    rows = zip(flat, hits, strict=True)
    return np.array([_pulses(row, np.flatnonzero(at), params, context) for row, at in rows]).reshape(lift.shape)


def _pulses(row: FloatArray, starts: npt.NDArray[np.intp], params: PulseParams, context: StepContext) -> FloatArray:
    out, fps = np.zeros_like(row), float(context.rate.fps)
    top, falling = round(params.attack_ms / 1000.0 * fps), params.decay_ms / 1000.0 * fps
    frames = np.arange(top + int(falling) + 2)
    shape = np.where(frames < top, (frames + 1) / (top + 1), np.clip(1.0 - (frames - top) / falling, 0.0, 1.0) ** 2)
    strengths = dict(zip(context.hit_frames.tolist(), context.hit_strengths.tolist(), strict=True))
    for start, end in pairwise([*starts.tolist(), len(row)]):
        high = 1.0
        if params.as_strong:
            own = strengths.get(start, 0.0) if params.hits is HitSource.TRACK else float(row[start:end].max())
            high = min(1.0, own)
        part = out[start : start + len(shape)]
        np.maximum(part, shape[: len(part)] * high, out=part)
    return out


STEP = Step(
    id="pulse",
    label="Pulse",
    help="Gives each hit a rise and a fall of its own shape.",
    params=PulseParams,
    apply=pulse,
    version=2,
    needs_hits=needs_hits,
    needs_markers=needs_markers,
)

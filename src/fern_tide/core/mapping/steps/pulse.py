"""Pulse: at each hit a rise and a fall of a fixed shape."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated

import numpy as np
import numpy.typing as npt
from pydantic import Field

from fern_tide.core.base.live import Live
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.moments import HitsAsTheyCome, HitSource, hits_of, needs_hits, needs_markers
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
    out, shape = np.zeros_like(row), _shape(params, context.rate.per_second)
    strengths = dict(zip(context.hit_frames.tolist(), context.hit_strengths.tolist(), strict=True))
    for start, end in pairwise([*starts.tolist(), len(row)]):
        high = 1.0
        if params.as_strong:
            own = strengths.get(start, 0.0) if params.hits is HitSource.TRACK else float(row[start:end].max())
            high = min(1.0, own)
        part = out[start : start + len(shape)]
        np.maximum(part, shape[: len(part)] * high, out=part)
    return out


def _shape(params: PulseParams, fps: float) -> FloatArray:
    """Give a pulse of full height from its hit's frame on, shape (frames,)."""
    top, falling = round(params.attack_ms / 1000.0 * fps), params.decay_ms / 1000.0 * fps
    frames = np.arange(top + int(falling) + 2)
    return np.where(frames < top, (frames + 1) / (top + 1), np.clip(1.0 - (frames - top) / falling, 0.0, 1.0) ** 2)


class Pulse:
    """Pulses while the lift comes: one over low water is as high as the lift has been since its hit."""

    def __init__(self, params: PulseParams, context: StepContext) -> None:
        self._params, self._hits = params, HitsAsTheyCome(params.hits)
        self._shape = _shape(params, context.rate.per_second)
        self._rows: list[_Running] = []

    def __call__(self, lift: FloatArray, *, context: StepContext) -> FloatArray:
        """Take the next frames."""
        flat = lift.reshape(-1, lift.shape[-1])
        hits = self._hits(flat, context=context)
        self._rows = self._rows or [_Running(self._shape) for _ in flat]
        strengths = dict(zip(context.hit_frames.tolist(), context.hit_strengths.tolist(), strict=True))
        out = np.empty_like(flat)
        for index, running in enumerate(self._rows):
            for frame, now in enumerate(flat[index].tolist()):
                out[index, frame] = running.next(
                    now, self._height(strengths.get(frame, 0.0)), is_hit=hits[index, frame]
                )
        return out.reshape(lift.shape)

    def _height(self, strength: float) -> float | None:
        """Give how high a pulse that begins now is; None of one that is as high as the lift."""
        if not self._params.as_strong:
            return 1.0
        return min(1.0, strength) if self._params.hits is HitSource.TRACK else None


class _Running:
    """The pulses of one row that are not over: those before the latest, as they will go on, and the latest."""

    def __init__(self, shape: FloatArray) -> None:
        self._shape, self._ahead = shape, np.zeros(len(shape))
        self._age, self._high, self._grows = len(shape), 0.0, False

    def next(self, now: float, height: float | None, *, is_hit: bool) -> float:
        """Give the value of the next frame, whose lift is `now`; see Pulse for the height."""
        self._ahead = np.append(self._ahead[1:], 0.0)
        if is_hit:
            rest = self._shape[self._age + 1 :] * self._high
            np.maximum(self._ahead[: len(rest)], rest, out=self._ahead[: len(rest)])
            self._age, self._grows = 0, height is None
            self._high = min(1.0, now) if height is None else height
        else:
            self._age = min(self._age + 1, len(self._shape))
            if self._grows:
                self._high = min(1.0, max(self._high, now))
        latest = float(self._shape[self._age]) * self._high if self._age < len(self._shape) else 0.0
        return max(float(self._ahead[0]), latest)


def words(params: PulseParams) -> str:
    """Say what live is otherwise."""
    grows = params.as_strong and params.hits is not HitSource.TRACK
    return "Pulse is as high as the lift has been since its hit." if grows else ""


STEP = Step(
    id="pulse",
    label="Pulse",
    help="Gives each hit a rise and a fall of its own shape.",
    params=PulseParams,
    apply=pulse,
    live=Live(Pulse, words=words),
    version=2,
    needs_hits=needs_hits,
    needs_markers=needs_markers,
)

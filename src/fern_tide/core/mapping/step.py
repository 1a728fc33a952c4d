"""What a step is: lift in, lift out."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import partial
from typing import Any, Protocol

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.live import Live
from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray


@dataclass(frozen=True)
class StepContext:
    """What a step may know besides lift.

    Attributes:
        rate: the project's frame rate.
        seed: of the mapping, for steps that draw numbers.
        hit_frames: the frames of the hits of the mapping's track, ascending, counted from the lift's first; empty where
            no step asks for them.
        hit_strengths: how strong each is, 0 to 1.
        marker_frames: the frames of the project's markers, ascending; empty where no step asks for them.
        beat_times_s: when the beats of the project are, ascending; empty where no step asks for them.
        levels: the levels of the envelopes that steps ask for, by id, each of shape (frames,).
    """

    rate: FrameRate
    seed: int = 0
    hit_frames: npt.NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    hit_strengths: FloatArray = field(default_factory=lambda: np.zeros(0))
    marker_frames: npt.NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    beat_times_s: FloatArray = field(default_factory=lambda: np.zeros(0))
    levels: Mapping[str, FloatArray] = field(default_factory=dict)

    @classmethod
    def example(cls) -> StepContext:
        """Give a context for tests and pictures: 30 frames a second."""
        return cls(rate=FrameRate.parse("30"))


class Shape(Protocol):
    """A pure function of a whole lift."""

    def __call__(self, lift: FloatArray, *, params: Any, context: StepContext) -> FloatArray:
        """Give a lift of the same shape, (..., frames)."""


class StepFlow(Protocol):
    """Takes a lift as it comes."""

    def __call__(self, lift: FloatArray, *, context: StepContext) -> FloatArray:
        """Take the next frames, shape (..., frames), with what the context knows of them, and give as many."""


def momentary(apply: Shape) -> Live[StepContext, StepFlow]:
    """Say that a step treats every frame by itself, so that it is the same while the sound comes."""
    return Live(lambda params, context: partial(apply, params=params))


def _never(params: Any) -> bool:
    return False


def _complete(params: Any) -> str:
    return ""


def _nothing(params: Any) -> tuple[str, ...]:
    return ()


@dataclass(frozen=True)
class Step:
    """One operation on lift.

    Attributes:
        id: the file's name.
        label: what people read.
        help: one line on what it is for.
        params: the model of its options.
        apply: the function.
        needs_hits: says whether it asks for the track's hits.
        needs_markers: says whether it asks for the project's markers.
        needs_beats: says whether it asks for the project's beats.
        uses: gives the ids of the envelopes that it asks for.
        draws: whether it draws numbers by the mapping's seed.
        lacks: says in one sentence what such params still need to do anything; '' for nothing.
        shown: the params with which its drawing shows what it does, where the default ones hardly do.
        live: how it works while the sound comes; None of what needs the whole.
        version: raised when the numbers change.
    """

    id: str
    label: str
    help: str
    params: type[Params]
    apply: Shape
    needs_hits: Callable[[Any], bool] = _never
    needs_markers: Callable[[Any], bool] = _never
    needs_beats: Callable[[Any], bool] = _never
    uses: Callable[[Any], tuple[str, ...]] = _nothing
    draws: bool = False
    lacks: Callable[[Any], str] = _complete
    shown: Mapping[str, Any] = field(default_factory=dict)
    live: Live[StepContext, StepFlow] | None = None
    version: int = 1

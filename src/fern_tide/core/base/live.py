"""Work on what comes stretch by stretch: the same numbers however long those are, and nothing of the future."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Generic, Protocol, TypeVar

import numpy as np

from fern_tide.core.base.signal import FloatArray, moved


class Flow(Protocol):
    """Takes a level or lift as it comes."""

    def __call__(self, block: FloatArray) -> FloatArray:
        """Take the next frames, shape (..., frames), and give as many of what is made of them."""


def no_lag(params: Any, known: Any) -> float:
    """Say that nothing becomes later than with a whole sound."""
    return 0.0


def as_ever(params: Any) -> str:
    """Say that nothing is done otherwise than with a whole sound."""
    return ""


Known = TypeVar("Known", contravariant=True)
Work = TypeVar("Work", covariant=True)


@dataclass(frozen=True)
class Live(Generic[Known, Work]):
    """How something that treats a whole level works while the level comes.

    Attributes:
        flow: makes what takes stretch after stretch, from the params and what is known before the first one.
        lag_frames: how much later than with a whole sound it is.
        words: says in one sentence, from the params, what it does otherwise than with a whole sound; '' for nothing.
    """

    flow: Callable[[Any, Known], Work]
    lag_frames: Callable[[Any, Known], float] = no_lag
    words: Callable[[Any], str] = as_ever


class Looking:
    """A flow of a function that looks no further back than so many frames: those are remembered.

    Args:
        apply: gives an array of the same shape, (..., frames); at its beginning it may do as it likes with what was
            never there.
        back_frames: how far back it looks.
    """

    def __init__(self, apply: Callable[[FloatArray], FloatArray], *, back_frames: int) -> None:
        self._apply, self._back = apply, back_frames
        self._before: FloatArray | None = None

    def __call__(self, block: FloatArray) -> FloatArray:
        """Take the next frames."""
        whole = block if self._before is None else np.concatenate([self._before, block], axis=-1)
        self._before = whole[..., max(0, whole.shape[-1] - self._back) :]
        return self._apply(whole)[..., whole.shape[-1] - block.shape[-1] :]


def later(frames: float) -> Flow:
    """Give what makes a level later by so many frames, which may have fractions; a minus sign cannot be: it stays."""
    if frames <= 0.0:
        return Looking(lambda level: level.copy(), back_frames=0)
    return Looking(lambda level: moved(level, frames=frames), back_frames=math.ceil(frames) + 1)


def later_words(params: Any) -> str:
    """Say what becomes of a shift by the param `by` while the sound comes."""
    return "Shift cannot be earlier than the sound: it is left out." if params.by < 0 else ""

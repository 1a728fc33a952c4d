"""What a response is: the easing from lift to value."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Protocol

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray


class Ease(Protocol):
    """A pure function of lift, frame by frame, with f(0) = 0 and f(1) = 1."""

    def __call__(self, lift: FloatArray, *, params: Any) -> FloatArray:
        """Give an array of the same shape."""


@dataclass(frozen=True)
class Response:
    """One easing.

    Attributes:
        id: the file's name.
        label: what people read.
        help: one line on what it is for.
        params: the model of its options.
        apply: the function.
        version: raised when the numbers change.
    """

    id: str
    label: str
    help: str
    params: type[Params]
    apply: Ease
    version: int = 1


def between_the_ends(lift: FloatArray, ease: Callable[[FloatArray], FloatArray]) -> FloatArray:
    """Ease lift from 0 to 1 and leave it as it is at the ends and outside, where it goes on straight; any shape."""
    inside = (lift > 0.0) & (lift < 1.0)
    out = lift.copy()
    out[inside] = ease(lift[inside])
    return out

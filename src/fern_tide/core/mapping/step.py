"""What a step is: lift in, lift out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray


@dataclass(frozen=True)
class StepContext:
    """What a step may know besides lift.

    Attributes:
        rate: the project's frame rate.
        seed: of the mapping, for steps that draw numbers.
    """

    rate: FrameRate
    seed: int = 0

    @classmethod
    def example(cls) -> StepContext:
        """Give a context for tests and pictures: 30 frames a second."""
        return cls(rate=FrameRate.parse("30"))


class Shape(Protocol):
    """A pure function of a whole lift."""

    def __call__(self, lift: FloatArray, *, params: Any, context: StepContext) -> FloatArray:
        """Give a lift of the same shape, (..., frames)."""


@dataclass(frozen=True)
class Step:
    """One operation on lift.

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
    apply: Shape
    version: int = 1

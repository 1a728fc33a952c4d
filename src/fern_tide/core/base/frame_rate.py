"""Frames, samples and seconds, converted exactly.

A rate is a ratio of integers, so frame k begins at k * denominator / numerator seconds and nothing ever drifts.
This is the only module that turns one of frames, samples and seconds into another.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from typing import Annotated, Any

import numpy as np
import numpy.typing as npt
from pydantic import BeforeValidator, PlainSerializer, WithJsonSchema

from fern_tide.core.base.errors import InvalidParameter

SLOWEST, FASTEST = Fraction(1), Fraction(240)
COMMON_RATES = ("24000/1001", "24", "25", "30000/1001", "30", "50", "60000/1001", "60")


@dataclass(frozen=True, order=True)
class FrameRate:
    """Frames per second as an exact ratio, from 1 to 240.

    >>> FrameRate.parse("24000/1001").first_sample(24, sample_rate_hz=48_000)
    48048
    """

    fps: Fraction

    def __post_init__(self) -> None:
        if not SLOWEST <= self.fps <= FASTEST:
            raise InvalidParameter("rate", value=str(self.fps), allowed=f"{SLOWEST} to {FASTEST} frames per second")

    @classmethod
    def parse(cls, text: str) -> FrameRate:
        """Read '30', '12.5' or '24000/1001'.

        Raises:
            InvalidParameter: the text is no ratio, or out of range.
        """
        try:
            return cls(Fraction(text))
        except (ValueError, ZeroDivisionError) as cause:
            raise InvalidParameter("rate", value=text, allowed="a number or a ratio such as 24000/1001") from cause

    def __str__(self) -> str:
        return str(self.fps)

    @cached_property
    def per_second(self) -> float:
        """The rate as a number, rounded once."""
        return float(self.fps)

    @property
    def label(self) -> str:
        """The rate as people say it: '23.976', '30'."""
        return f"{self.per_second:.3f}".rstrip("0").rstrip(".")

    def first_sample(self, frame: int, *, sample_rate_hz: int) -> int:
        """Give the first sample that a frame owns: ceil(frame * sample_rate / fps)."""
        return -(-frame * sample_rate_hz * self.fps.denominator // self.fps.numerator)

    def first_samples(self, frames: npt.NDArray[np.int64], *, sample_rate_hz: int) -> npt.NDArray[np.int64]:
        """Give first_sample for many frames at once; frames * sample_rate * denominator must stay below 2**63."""
        return -(-frames * (sample_rate_hz * self.fps.denominator) // self.fps.numerator)

    def middle_samples(self, frames: npt.NDArray[np.int64], *, sample_rate_hz: int) -> npt.NDArray[np.int64]:
        """Give the sample nearest each frame's middle: round((2k + 1) * sample_rate / (2 * fps)), halves up."""
        top = (2 * frames + 1) * (sample_rate_hz * self.fps.denominator)
        return (top + self.fps.numerator) // (2 * self.fps.numerator)

    def frame_of_sample(self, sample: int, *, sample_rate_hz: int) -> int:
        """Give the frame that owns a sample: floor(sample / sample_rate * fps)."""
        return sample * self.fps.numerator // (sample_rate_hz * self.fps.denominator)

    def n_frames(self, n_samples: int, *, sample_rate_hz: int) -> int:
        """Count the frames that n_samples reach into, the last one perhaps in part."""
        return -(-n_samples * self.fps.numerator // (sample_rate_hz * self.fps.denominator))

    def frames_before(self, frame: int, *, at: FrameRate) -> int:
        """Count the frames of another rate that begin before a frame of this one does: ceil(frame * other / own)."""
        return math.ceil(frame * at.fps / self.fps)

    def seconds(self, frame: int) -> Fraction:
        """Give the time at which a frame begins, exactly."""
        return frame / self.fps

    def frames_of_times(self, times_s: npt.NDArray[np.float64]) -> npt.NDArray[np.int64]:
        """Give the frame that owns each time; a time within a billionth of a frame's beginning belongs to it."""
        return np.floor(times_s * self.per_second + 1e-9).astype(np.int64)

    def times(self, frames: npt.NDArray[np.int64] | npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
        """Give the time at which each frame begins, in seconds, rounded once; frames may have fractions."""
        return np.asarray(frames * self.fps.denominator / self.fps.numerator)

    def frames_of_ms(self, ms: float) -> float:
        """Give a length in frames, fractions kept."""
        return ms * self.per_second / 1000.0

    def duration_s(self, n_frames: int) -> float:
        """Give the length of n_frames in seconds, rounded once."""
        return float(n_frames / self.fps)


def _rate(value: Any) -> FrameRate:
    return value if isinstance(value, FrameRate) else FrameRate.parse(str(value))


RateField = Annotated[
    FrameRate,
    BeforeValidator(_rate),
    PlainSerializer(str, return_type=str),
    WithJsonSchema(
        {"type": "string", "examples": ["30", "24000/1001"], "description": "frames per second, as a ratio"}
    ),
]

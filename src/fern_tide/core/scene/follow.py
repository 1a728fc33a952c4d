"""Properties that follow other properties, and limits that no value leaves."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import numpy as np
from pydantic import Field, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.drive import Number

_LEAST_STRETCH = 1e-3


class Law(StrEnum):
    """How a property follows: by the same amount, or so that an area or a volume stays what it is."""

    SAME = "same"
    AREA = "area"
    VOLUME = "volume"


class Follow(Frozen, frozen=True):
    """One property that follows another.

    Attributes:
        target: what follows.
        source: what is followed.
        law: 'same' is offset + factor * source; 'area' and 'volume' make the target wide as the source gets short.
        factor: what the source is multiplied by.
        offset: what is added.
        late_frames: how many frames late; before the first frame the source stands still.
    """

    target: Target
    source: Target
    law: Law = Law.SAME
    factor: Number = 1.0
    offset: Number = 0.0
    late_frames: Annotated[int, Field(ge=0, le=100_000)] = 0


class Limit(Frozen, frozen=True):
    """The range that a property never leaves; an end that is None is open."""

    target: Target
    low: Number | None = None
    high: Number | None = None

    @model_validator(mode="after")
    def _sound(self) -> Limit:
        if self.low is not None and self.high is not None and self.low > self.high:
            raise InvalidParameter("never below", value=self.low, allowed=f"at most {self.high:g}, its other limit")
        return self

    def hold(self, values: FloatArray) -> FloatArray:
        """Bring values into the range; any shape."""
        return values if self.low is None and self.high is None else np.clip(values, self.low, self.high)


def followed(source: FloatArray, *, follow: Follow, own: float, source_own: float) -> FloatArray:
    """Give what a following property does.

    Args:
        source: shape (..., frames); (3, frames) for a colour, which is taken as it is, only late.
        follow: how.
        own: the following property's own value, which 'area' and 'volume' start from.
        source_own: the followed property's own value, at which they change nothing.

    Returns:
        The same shape. For 'area' own * source_own / source, for 'volume' own * sqrt(source_own / source): with the
        source on one axis and one (or two) followers on the other axes, the product of the scales stays as it is.
    """
    late = source if not follow.late_frames else _late(source, follow.late_frames)
    if source.ndim > 1:
        return late
    if follow.law is Law.SAME:
        return follow.offset + follow.factor * late
    stretch = np.maximum(np.abs(late / (source_own or 1.0)), _LEAST_STRETCH)
    return own * (1.0 / stretch if follow.law is Law.AREA else 1.0 / np.sqrt(stretch))


def _late(values: FloatArray, frames: int) -> FloatArray:
    n = values.shape[-1]
    return values[..., np.clip(np.arange(n) - frames, 0, max(0, n - 1))] if n else values

"""Keys: the motion is drawn by hand, as keys; over the whole curve it follows the sound no more."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Any

import numpy as np
from pydantic import Field, model_validator

from fern_tide.core.bake.slopes import monotone_slopes
from fern_tide.core.bake.thin import Interpolation, Keys, thin
from fern_tide.core.bake.touch import Stretch, Touch
from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.limits import Most
from fern_tide.core.base.params import Frozen, Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.colour import Colour, colour_texts, parse_colour

MOST_KEYS = 100_000
_NEAR = 0.03  # of the stretch's range: how far the keys of a new one may lie from the curve


class HandKey(Frozen, frozen=True):
    """A key.

    Attributes:
        at_s: when, in seconds from where the stretch begins.
        value: in the property's unit, or a colour.
        slope: of a cubic key, per second; None is the slope that never goes beyond its neighbours.
    """

    at_s: Annotated[float, Field(ge=-1e6, le=1e6)]
    value: Annotated[float, Field(ge=-1e9, le=1e9)] | Colour
    slope: Annotated[float, Field(ge=-1e9, le=1e9)] | None = None


class KeysParams(Params):
    """The keys, what lies between them, and whether they hide all that the sound does."""

    keys: Annotated[
        tuple[HandKey, ...],
        Most(MOST_KEYS),
        unit("", "The keys, their times from where the stretch begins.", kind="keys"),
    ] = ()
    interpolation: Annotated[Interpolation, unit("", "What lies between two keys.")] = Interpolation.LINEAR
    for_good: Annotated[bool, unit("", "The keys are all there is, in every frame: the sound moves it no more.")] = (
        False
    )

    @model_validator(mode="after")
    def _in_time(self) -> KeysParams:
        if not all(before.at_s < after.at_s for before, after in pairwise(self.keys)):
            raise InvalidParameter("keys", value="two at one time", allowed="keys whose times ascend")
        if len({isinstance(key.value, str) for key in self.keys}) > 1:
            raise InvalidParameter("keys", value="numbers and colours", allowed="either numbers or colours")
        return self

    def curve(self, fps: float, *, starts_at: float) -> Keys:
        """Give the keys as those of a curve, in frames; values of shape (keys,), or (3, keys) for colours."""
        frames = np.array([key.at_s * fps + starts_at for key in self.keys])
        if isinstance(self.keys[0].value, str):
            values = np.stack([parse_colour(str(key.value)) for key in self.keys], axis=1)
        else:
            values = np.array([float(key.value) for key in self.keys])
        slopes = monotone_slopes(np.atleast_2d(values), frames).reshape(values.shape)
        for at, key in enumerate(self.keys):
            if key.slope is not None:
                slopes[..., at] = key.slope / fps
        return Keys(frames, values, slopes, 0.0, self.interpolation)


def keys(stretch: Stretch, params: KeysParams) -> FloatArray:
    """Give what the keys say; before the first and after the last their values go on. Without keys nothing changes."""
    if not params.keys or (stretch.values.ndim > 1) != isinstance(params.keys[0].value, str):
        return stretch.below
    drawn = params.curve(stretch.rate.per_second, starts_at=stretch.starts_at)
    return drawn.at(np.arange(stretch.first, stretch.end, dtype=np.float64))


def begins(stretch: Stretch) -> dict[str, Any]:
    """Begin with few keys near the curve."""
    below, fps = stretch.below, stretch.rate.per_second
    few = thin(below, tolerance=_NEAR * (float(np.ptp(below)) or 1.0))
    values = colour_texts(few.values) if below.ndim > 1 else few.values.tolist()
    starts = stretch.first - stretch.starts_at
    moments = [(float(frame) + starts) / fps for frame in few.frames]
    return {"keys": [{"at_s": at, "value": value} for at, value in zip(moments, values, strict=True)]}


def _words(params: KeysParams) -> str:
    return f"{len(params.keys)} keys {'for good' if params.for_good else 'by hand'}"


TOUCH = Touch(
    id="keys",
    label="Redraw",
    help="Goes where keys say that are set by hand.",
    params=KeysParams,
    apply=keys,
    words=_words,
    begins=begins,
    replaces_all=lambda params: params.for_good and bool(params.keys),
)

"""Hold: one value throughout."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from pydantic import Field

from fern_tide.core.bake.touch import Stretch, Touch
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.colour import Colour, colour_texts, parse_colour


class HoldParams(Params):
    """Which value; of a colour the colour counts."""

    value: Annotated[
        float, Field(ge=-1e9, le=1e9), unit("", "The value that it stands at, in the property's unit.")
    ] = 0.0
    colour: Annotated[Colour, unit("", "The colour that it stands at, where the property is one.", kind="colour")] = (
        "#ffffff"
    )


def hold(stretch: Stretch, params: HoldParams) -> FloatArray:
    """Give the one value in every frame."""
    below = stretch.below
    if below.ndim > 1:
        return np.repeat(parse_colour(params.colour)[:, np.newaxis], below.shape[-1], 1)
    return np.full(below.shape, params.value)


def begins(stretch: Stretch) -> dict[str, Any]:
    """Begin with the value at the stretch's own beginning."""
    below = stretch.below
    if below.ndim > 1:
        return {"colour": colour_texts(below[:, :1])[0]}
    return {"value": float(f"{below[0]:.6g}")}


TOUCH = Touch(
    id="hold",
    label="Hold",
    help="Stands at one value.",
    params=HoldParams,
    apply=hold,
    words=lambda params: f"held at {params.value:.4g}",
    begins=begins,
)

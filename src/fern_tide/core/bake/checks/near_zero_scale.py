"""A scale at or near zero: many programs cannot turn such a part back, or drop it."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.bake.check import Check, Finding
from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.params import Params, unit


class NearZeroScaleParams(Params):
    """What counts as near."""

    least: Annotated[
        float, Field(gt=0, le=1), unit("x", "The smallest scale that is safe.", label="Smallest scale")
    ] = 0.01


def look(curve: Curve, params: NearZeroScaleParams) -> list[Finding]:
    """Find the frame at which a scale comes nearest to zero, if that is too near."""
    if not curve.target.property.startswith("scale_") or curve.n_frames == 0:
        return []
    sizes = np.abs(curve.values)
    frame = int(np.argmin(sizes))
    if sizes[frame] >= params.least:
        return []
    words = f"{curve.part_name}, {curve.label.lower()} comes down to {curve.values[frame]:.3g} x at frame {frame}"
    return [Finding(curve.target, frame, words)]


CHECK = Check(
    id="near_zero_scale",
    label="No scale comes near zero",
    help="A part scaled to nothing cannot be turned back in many programs.",
    params=NearZeroScaleParams,
    look=look,
)

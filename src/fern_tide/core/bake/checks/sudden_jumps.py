"""A jump: most of the way in a single frame, or a turn of which a player takes the other way round."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.bake.check import Check, Finding, Remedy, name_of
from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.params import Params, unit

_HALF_TURN = 180.0
_SOFTENED = 3  # frames to each side


class SuddenJumpsParams(Params):
    """What counts as a jump."""

    percent: Annotated[
        float,
        Field(gt=0, le=100),
        unit("%", "So much of the range in one frame is a jump.", step=5, label="Largest step"),
    ] = 90.0


def look(curve: Curve, params: SuddenJumpsParams) -> list[Finding]:
    """Find the frame with the largest jump, where that is too large."""
    if curve.kind == "colour" or curve.n_frames < 2:
        return []
    steps = np.abs(np.diff(curve.values))
    frame = int(np.argmax(steps)) + 1
    largest, turns = float(steps[frame - 1]), curve.unit == "°"
    over = turns and largest >= _HALF_TURN
    if not over and (curve.span == 0 or 100 * largest / curve.span < params.percent):
        return []
    words = f"{name_of(curve)} jumps by {largest:.3g}{curve.unit} at frame {frame}"
    if over:
        words += ", half a turn or more in one frame"
    first, end = max(0, frame - _SOFTENED), min(curve.n_frames, frame + _SOFTENED)
    return [Finding(curve.target, frame, words, Remedy("Smooth it there", touch=("smooth", first, end)))]


CHECK = Check(
    id="sudden_jumps",
    label="Nothing jumps in one frame",
    help="A jump may be a fault of the sound; a turn of half a circle may go the other way.",
    params=SuddenJumpsParams,
    look=look,
)

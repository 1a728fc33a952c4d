"""Jumps: a curve that leaps most of its way from one frame to the next."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.bake.check import Check, Finding
from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.params import Params, unit


class JumpsParams(Params):
    """What counts as a jump."""

    share: Annotated[float, Field(gt=0, le=1), unit("", "A move of so much of the range in one frame.")] = 0.9


def look(curve: Curve, params: JumpsParams) -> list[Finding]:
    """Find the frame that is reached by the largest jump, if that is large enough."""
    if curve.kind == "colour" or curve.n_frames < 2 or not curve.span:
        return []
    moves = np.abs(np.diff(curve.values)) / curve.span
    at = int(moves.argmax())
    if moves[at] < params.share:
        return []
    return [Finding(curve.target, at + 1, f"It leaps {moves[at]:.0%} of its range in one frame.")]


CHECK = Check(
    id="jumps",
    label="No curve leaps",
    help="A leap may be a cut in the sound rather than a hit.",
    params=JumpsParams,
    look=look,
)

"""A curve that never moves: it is written, but nobody will see it."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.bake.check import Check, Finding
from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.params import Params, unit


class NeverMovesParams(Params):
    """What counts as still."""

    least: Annotated[float, Field(ge=0), unit("", "A smaller move than this is none.", label="Smallest move")] = 1e-9


def look(curve: Curve, params: NeverMovesParams) -> list[Finding]:
    """Find a curve whose values are all the same."""
    if curve.n_frames == 0 or float(np.ptp(curve.values, axis=-1).max()) > params.least:
        return []
    words = f"{curve.part_name}, {curve.label.lower()} never moves: does its level cross the marks?"
    return [Finding(curve.target, 0, words)]


CHECK = Check(
    id="never_moves",
    label="Every curve moves",
    help="A curve that stays at rest is written for nothing.",
    params=NeverMovesParams,
    look=look,
)

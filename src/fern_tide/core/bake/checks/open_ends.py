"""A curve that starts or ends away from rest: a loop of it does not close, and a cut to it jumps."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.bake.check import Check, Checked, Finding, Remedy, name_of
from fern_tide.core.base.params import Params, unit

_CLOSING_S = 0.5


class OpenEndsParams(Params):
    """How far from rest is away."""

    percent: Annotated[
        float,
        Field(gt=0, le=100),
        unit("%", "So much of the range from rest is away.", step=1, label="Farthest from rest"),
    ] = 5.0


def look_at_all(checked: Checked, params: OpenEndsParams) -> list[Finding]:
    """Find curves whose first or last frame is away from rest."""
    findings = []
    for curve in checked.curves:
        rest = checked.rests.get(curve.target)
        if rest is None or curve.n_frames < 2 or curve.span == 0:
            continue
        apart = np.abs(curve.values - rest)
        away = 100 * (apart if apart.ndim == 1 else apart.max(axis=0)) / curve.span
        ends = [frame for frame in (0, curve.n_frames - 1) if away[frame] > params.percent]
        if ends:
            which = "starts and ends" if len(ends) > 1 else "starts" if ends[0] == 0 else "ends"
            words = f"{name_of(curve)} {which} {max(away[frame] for frame in ends):.0f} % of its range from rest"
            findings.append(Finding(curve.target, ends[0], words, _closed(checked, ends[-1], curve.n_frames)))
    return findings


def _closed(checked: Checked, frame: int, n_frames: int) -> Remedy:
    frames = max(1, min(n_frames, round(_CLOSING_S * checked.rate.per_second)))
    if frame == 0:
        return Remedy("Start at rest", touch=("silence", 0, frames))
    return Remedy("End at rest", touch=("silence", n_frames - frames, n_frames))


CHECK = Check(
    id="open_ends",
    label="Every curve starts and ends at rest",
    help="A loop closes, and a cut to it does not jump.",
    params=OpenEndsParams,
    look_at_all=look_at_all,
)

"""A value that means nothing to its property: an opacity above 1, a negative width."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.bake.check import Check, Checked, Finding, Remedy, name_of
from fern_tide.core.base.params import Params, unit


class OutsideRangeParams(Params):
    """How far beyond is still well."""

    slack: Annotated[float, Field(ge=0, le=1e6), unit("", "So far beyond its range a value may be.", label="Slack")] = (
        1e-6
    )


def look_at_all(checked: Checked, params: OutsideRangeParams) -> list[Finding]:
    """Find the frame at which a number lies furthest outside what its property can be."""
    findings = []
    for curve in checked.curves if checked.scene is not None else ():
        assert checked.scene is not None
        _, item = checked.scene.resolve(curve.target)
        if curve.kind == "colour" or curve.n_frames == 0 or (item.low is None and item.high is None):
            continue
        low, high = (-np.inf if item.low is None else item.low), (np.inf if item.high is None else item.high)
        beyond = np.maximum(low - curve.values, curve.values - high)
        frame = int(np.argmax(beyond))
        if beyond[frame] > params.slack:
            limit = {"target": str(curve.target), "low": item.low, "high": item.high}
            words = f"{name_of(curve)} is {curve.values[frame]:.4g} at frame {frame}, outside {low:g} to {high:g}"
            findings.append(
                Finding(curve.target, frame, words, Remedy("Limit it", {"kind": "put_limit", "limit": limit}))
            )
    return findings


CHECK = Check(
    id="outside_range",
    label="Every value lies in its range",
    help="Other programs clip what lies outside, or refuse it.",
    params=OutsideRangeParams,
    look_at_all=look_at_all,
)

"""A curve that is nearly another one's copy: one of them could follow the other."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.bake.check import Check, Checked, Finding, name_of
from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.target import Target

_MOST = 1000  # curves that are compared, each with each
_POINTS = 512  # at which they are compared first


class CopiesParams(Params):
    """What is nearly the same."""

    percent: Annotated[
        float,
        Field(gt=0, le=50),
        unit("%", "Curves that differ by less, of their ranges.", step=0.1, label="Least difference"),
    ] = 0.5


def look_at_all(checked: Checked, params: CopiesParams) -> list[Finding]:
    """Find curves of one unit that take one another's course, each brought to 0 to 1, and say of which the first is."""
    groups: dict[tuple[str, str], list[tuple[Curve, np.ndarray]]] = {}
    alike: dict[Target, list[Curve]] = {}
    for curve in [curve for curve in checked.curves if curve.kind == "number" and curve.span > 0][:_MOST]:
        shape = (curve.values - curve.values.min()) / curve.span
        group = groups.setdefault((curve.target.property, curve.unit), [])
        every = max(1, curve.n_frames // _POINTS)
        for other, course in group:
            near = np.abs(course[::every] - shape[::every]).max() * 100 < params.percent
            if near and np.abs(course - shape).max() * 100 < params.percent:
                alike.setdefault(other.target, [other]).append(curve)
                break
        else:
            group.append((curve, shape))
    return [_finding(curves) for curves in alike.values()]


def _finding(curves: list[Curve]) -> Finding:
    first, *others = curves
    more = f" and {len(others) - 1} more" if len(others) > 1 else ""
    verb = "go" if more else "goes"
    return Finding(others[0].target, 0, f"{name_of(others[0])}{more} {verb} as {name_of(first)} does")


CHECK = Check(
    id="copies",
    label="No curve is another one's copy",
    help="Parts that all move alike look like one: spread them, or let one follow the other.",
    params=CopiesParams,
    look_at_all=look_at_all,
)

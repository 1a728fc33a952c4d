"""A value that stays at its limit for long: the sound goes on, and nothing is seen of it."""

from __future__ import annotations

from typing import Annotated

import numpy as np
import numpy.typing as npt
from pydantic import Field

from fern_tide.core.bake.check import Check, Checked, Finding, Remedy, name_of
from fern_tide.core.base.params import Params, unit


class LongAtLimitParams(Params):
    """How long is long."""

    seconds: Annotated[
        float, Field(gt=0, le=3600), unit("s", "So long at a limit is too long.", step=0.5, label="Longest at a limit")
    ] = 2.0


def look_at_all(checked: Checked, params: LongAtLimitParams) -> list[Finding]:
    """Find the longest stretch of a limited property at one of its limits, where the curve is not at rest there."""
    findings = []
    for curve in checked.curves if checked.scene is not None else ():
        assert checked.scene is not None
        limit = checked.scene.limit_of(curve.target)
        if limit is None or curve.kind == "colour":
            continue
        rest = np.broadcast_to(checked.rests.get(curve.target, np.full(1, np.nan)), curve.values.shape)
        at = [value for value in (limit.low, limit.high) if value is not None]
        limited = np.any([curve.values == value for value in at], axis=0) & (np.abs(curve.values - rest) > 1e-9)
        first, frames = longest(limited)
        seconds = frames / checked.rate.per_second
        if seconds >= params.seconds:
            words = f"{name_of(curve)} stays at its limit for {seconds:.1f} s from frame {first}"
            off = {"target": str(curve.target), "low": None, "high": None}
            remedy = Remedy("Take the limit off", {"kind": "put_limit", "limit": off})
            findings.append(Finding(curve.target, first, words, remedy))
    return findings


def longest(where: npt.NDArray[np.bool_]) -> tuple[int, int]:
    """Give the first frame and the length of the longest stretch in which something holds; 0, 0 where it never does.

    Args:
        where: true or false, shape (frames,).
    """
    edges = np.diff(np.concatenate([[0], np.asarray(where, dtype=np.int8), [0]]))
    starts, ends = np.flatnonzero(edges == 1), np.flatnonzero(edges == -1)
    if not starts.size:
        return 0, 0
    at = int(np.argmax(ends - starts))
    return int(starts[at]), int(ends[at] - starts[at])


CHECK = Check(
    id="long_at_limit",
    label="Nothing stays at its limit for long",
    help="What is clipped does not follow the sound: raise the marks, or the limit.",
    params=LongAtLimitParams,
    look_at_all=look_at_all,
)

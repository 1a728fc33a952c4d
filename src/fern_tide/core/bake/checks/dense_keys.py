"""Keys by hand that lie nearer to each other than frames do: of two in one frame only one shows."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.bake.check import Check, Checked, Finding, name_of
from fern_tide.core.base.params import Params, unit


class DenseKeysParams(Params):
    """What is too near."""

    frames: Annotated[
        float,
        Field(gt=0, le=10),
        unit("frames", "Keys nearer to each other than this are too near.", label="Least apart"),
    ] = 0.999


def look_at_all(checked: Checked, params: DenseKeysParams) -> list[Finding]:
    """Find the first two keys of a curve that lie too near."""
    findings = []
    for curve in checked.curves:
        moments = checked.hand_keys.get(curve.target, np.zeros(0))
        near = np.flatnonzero(np.diff(moments) < params.frames)
        if near.size:
            at = float(moments[near[0]])
            words = f"{name_of(curve)} has {near.size + 1} keys by hand nearer than frames, from frame {at:.4g} on"
            findings.append(Finding(curve.target, int(at), words))
    return findings


CHECK = Check(
    id="dense_keys",
    label="No keys lie nearer than frames",
    help="Of two keys in one frame only one is seen; after a change of rate this may happen.",
    params=DenseKeysParams,
    look_at_all=look_at_all,
)

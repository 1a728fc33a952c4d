"""A part that leaves the stage: it moves on where nobody sees it."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.bake.check import Check, Checked, Finding
from fern_tide.core.bake.checks.long_at_limit import longest
from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.target import Target


class OffStageParams(Params):
    """How long is too long."""

    seconds: Annotated[
        float,
        Field(gt=0, le=3600),
        unit("s", "So long off the stage is too long.", step=0.5, label="Longest off stage"),
    ] = 1.0


def look_at_all(checked: Checked, params: OffStageParams) -> list[Finding]:
    """Find 2D parts whose own moves take them off the stage whole; the frame is that at which they leave."""
    scene = checked.scene
    if scene is None or scene.kind != "2d":
        return []
    moves: dict[str, dict[str, Curve]] = {}
    for curve in checked.curves:
        if curve.target.property in {"x", "y"} and curve.target.part in checked.extents:
            moves.setdefault(curve.target.part, {})[curve.target.property] = curve
    findings = []
    for part_id, curves in moves.items():
        part, box = scene.part(part_id), checked.extents[part_id]
        off = np.zeros(checked.n_frames, dtype=np.bool_)
        for axis, (name, size) in enumerate((("x", scene.width), ("y", scene.height))):
            if name in curves:
                by = curves[name].values - float(part.own(name))
                off |= (box[1][axis] + by < 0) | (box[0][axis] + by > size)
        first, frames = longest(off)
        seconds = frames / checked.rate.per_second
        if seconds >= params.seconds:
            words = f"{part.name} is off the stage for {seconds:.1f} s from frame {first}"
            findings.append(Finding(Target(part=part_id, property=next(iter(curves))), first, words))
    return findings


CHECK = Check(
    id="off_stage",
    label="Every part stays on the stage",
    help="What moves out of the picture is not seen; of parts in space the camera decides.",
    params=OffStageParams,
    look_at_all=look_at_all,
)

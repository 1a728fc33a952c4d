"""Seldom: the move rises only so often in a second; the rest is left out."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.step import Step, StepContext


class SeldomParams(Params):
    """How often it may rise, and what is a rise."""

    per_s: Annotated[
        float, Field(gt=0, le=30), unit("/s", "How often it may rise in a second.", step=0.5, label="Rises at most")
    ] = 3.0
    least: Annotated[
        float, Field(ge=0, le=1), unit("", "What rises by less is no rise, and is left out.", step=0.05)
    ] = 0.1


def thinned(lift: FloatArray, *, params: SeldomParams, context: StepContext) -> FloatArray:
    """Let the lift fall as it will, and rise when it is by enough and the last rise began long enough ago.

    A rise goes on until the lift falls. Between rises it stays where it fell to, or falls on: it is never above the
    lift, but for rises that begin late.

    Args:
        lift: shape (..., frames).
        params: how often, and by how much.
        context: has the frame rate.

    Returns:
        The same shape.
    """
    gap = float(context.rate.fps) / params.per_s
    rows = [_thinned(row, gap, params.least) for row in lift.reshape(-1, lift.shape[-1]).tolist()]
    return np.array(rows, dtype=np.float64).reshape(lift.shape)


def _thinned(row: list[float], gap: float, least: float) -> list[float]:
    now, rises, last, out = row[0] if row else 0.0, False, -gap, []
    for frame, wanted in enumerate(row):
        if wanted <= now:
            now, rises = wanted, rises and wanted == now
        elif rises:
            now = wanted
        elif wanted - now >= least and frame - last >= gap - 1e-9:
            now, rises, last = wanted, True, frame
        out.append(now)
    return out


STEP = Step(
    id="seldom",
    label="Seldom",
    help="Rises only so often in a second; the rest is left out.",
    params=SeldomParams,
    apply=thinned,
)

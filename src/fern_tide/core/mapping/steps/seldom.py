"""Seldom: the move rises only so often in a second; the rest is left out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.live import Live
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
    return Seldom(params, context)(lift, context=context)


@dataclass
class _Rising:
    """Where a row is: its place, whether it rises, and how many frames ago it began to rise last."""

    now: float
    rises: bool
    ago: float


class Seldom:
    """Rises seldom, from one stretch to the next."""

    def __init__(self, params: SeldomParams, context: StepContext) -> None:
        self._gap, self._least = context.rate.per_second / params.per_s, params.least
        self._rows: list[_Rising] = []

    def __call__(self, lift: FloatArray, *, context: StepContext) -> FloatArray:
        """Take the next frames."""
        flat = lift.reshape(-1, lift.shape[-1]).tolist()
        self._rows = self._rows or [_Rising(row[0], False, self._gap) for row in flat]
        rows = [self._thinned(state, row) for state, row in zip(self._rows, flat, strict=True)]
        return np.array(rows, dtype=np.float64).reshape(lift.shape)

    def _thinned(self, state: _Rising, row: list[float]) -> list[float]:
        out = []
        for wanted in row:
            if wanted <= state.now:
                state.now, state.rises = wanted, state.rises and wanted == state.now
            elif state.rises:
                state.now = wanted
            elif wanted - state.now >= self._least and state.ago >= self._gap - 1e-9:
                state.now, state.rises, state.ago = wanted, True, 0.0
            state.ago += 1.0
            out.append(state.now)
        return out


STEP = Step(
    id="seldom",
    label="Seldom",
    help="Rises only so often in a second; the rest is left out.",
    params=SeldomParams,
    apply=thinned,
    live=Live(Seldom),
)

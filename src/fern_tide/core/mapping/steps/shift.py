"""Shift: the whole move comes earlier or later by an exact time, with its shape kept."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.live import Live, later, later_words
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray, moved
from fern_tide.core.base.units import TimeUnit
from fern_tide.core.mapping.step import Step, StepContext, StepFlow


class ShiftParams(Params):
    """How far, and counted in what."""

    by: Annotated[
        float, Field(ge=-10_000, le=10_000), unit("", "How much later; a minus sign makes it earlier.", step=1)
    ] = -1.0
    counted_in: Annotated[TimeUnit, unit("", "Frames or milliseconds.")] = TimeUnit.FRAMES


def shift(lift: FloatArray, *, params: ShiftParams, context: StepContext) -> FloatArray:
    """Move lift in time; between frames it is interpolated linearly.

    Args:
        lift: shape (..., frames).
        params: by is later when positive.
        context: its rate turns milliseconds into frames.

    Returns:
        The same shape; the first or last lift goes on where nothing comes in.
    """
    return moved(lift, frames=_frames(params, context))


def _frames(params: ShiftParams, context: StepContext) -> float:
    return params.by if params.counted_in is TimeUnit.FRAMES else context.rate.frames_of_ms(params.by)


def flow(params: ShiftParams, context: StepContext) -> StepFlow:
    """Give what makes later; nothing is earlier than it comes."""
    late = later(_frames(params, context))
    return lambda lift, *, context: late(lift)


STEP = Step(
    id="shift",
    label="Shift",
    help="Brings the move earlier or later by an exact time.",
    params=ShiftParams,
    apply=shift,
    live=Live(flow, words=later_words),
    shown={"by": -10},
)

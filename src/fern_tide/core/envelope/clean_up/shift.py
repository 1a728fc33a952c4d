"""Shift: the whole level comes earlier or later by an exact time."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.live import Flow, Live, later, later_words
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray, moved
from fern_tide.core.base.units import TimeUnit
from fern_tide.core.envelope.cleaning import CleanUp


class ShiftLevelParams(Params):
    """How far, and counted in what."""

    by: Annotated[
        float, Field(ge=-10_000, le=10_000), unit("", "How much later; a minus sign makes it earlier.", step=1)
    ] = -1.0
    counted_in: Annotated[TimeUnit, unit("", "Frames or milliseconds.")] = TimeUnit.FRAMES


def shift(level: FloatArray, *, params: ShiftLevelParams, rate: FrameRate) -> FloatArray:
    """Move a level of shape (..., frames) in time; between frames it is interpolated linearly."""
    return moved(level, frames=_frames(params, rate))


def _frames(params: ShiftLevelParams, rate: FrameRate) -> float:
    return params.by if params.counted_in is TimeUnit.FRAMES else rate.frames_of_ms(params.by)


def flow(params: ShiftLevelParams, rate: FrameRate) -> Flow:
    """Give what makes later; nothing is earlier than it comes."""
    return later(_frames(params, rate))


CLEAN_UP = CleanUp(
    id="shift",
    label="Shift",
    help="Brings the level earlier or later by an exact time.",
    params=ShiftLevelParams,
    apply=shift,
    live=Live(flow, words=later_words),
)

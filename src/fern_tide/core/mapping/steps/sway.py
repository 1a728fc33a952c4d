"""Sway: a lift becomes a swing to both sides of rest."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.live import Live
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.step import Step, StepContext


class Wave(StrEnum):
    """How the swing runs."""

    SINE = "sine"
    TRIANGLE = "triangle"
    SQUARE = "square"


class PeriodUnit(StrEnum):
    """What a period is counted in."""

    SECONDS = "seconds"
    FRAMES = "frames"
    BEATS = "beats"


class SwayParams(Params):
    """How long one swing to and fro takes, and how it runs."""

    period: Annotated[float, Field(gt=0, le=100_000), unit("", "How long one swing to and fro takes.", step=0.05)] = 2.0
    counted_in: Annotated[PeriodUnit, unit("", "Seconds, frames or beats.")] = PeriodUnit.SECONDS
    wave: Annotated[Wave, unit("", "How the swing runs.")] = Wave.SINE


def sway(lift: FloatArray, *, params: SwayParams, context: StepContext) -> FloatArray:
    """Multiply lift by a wave from -1 to 1 that begins at 0 on its way up.

    Args:
        lift: shape (..., frames).
        params: the wave and its period.
        context: its rate says when a frame is, and it has the beats, where they count.

    Returns:
        The same shape, from -1 to 1 where lift is from 0 to 1: at full on the one side, as far beyond rest on the
        other; 0 where lift is 0. Counted in beats it begins at the first beat and follows a tempo that changes; where
        there are fewer than two beats it stays at 0.
    """
    return _swayed(lift, np.arange(lift.shape[-1], dtype=np.float64), params=params, context=context)


def _swayed(lift: FloatArray, frames: FloatArray, *, params: SwayParams, context: StepContext) -> FloatArray:
    """Sway a lift of given frames, shape (frames,)."""
    if params.counted_in is PeriodUnit.BEATS:
        if len(context.beat_times_s) < 2:
            return np.zeros_like(lift)
        turns = _beats(frames / context.rate.per_second, context.beat_times_s) / params.period % 1.0
    else:
        period = params.period if params.counted_in is PeriodUnit.FRAMES else params.period * context.rate.per_second
        turns = frames / period % 1.0
    if params.wave is Wave.SINE:
        wave = np.sin(2 * np.pi * turns)
    elif params.wave is Wave.TRIANGLE:
        wave = 1.0 - 4.0 * np.abs((turns + 0.25) % 1.0 - 0.5)
    else:
        wave = np.where(turns < 0.5, 1.0, -1.0)
    return lift * wave


def _beats(time_s: FloatArray, beats: FloatArray) -> FloatArray:
    """Count time in beats, 0 at the first; before it and after the last the tempo goes on as it is there."""
    counted = np.interp(time_s, beats, np.arange(len(beats), dtype=np.float64))
    before, after = time_s < beats[0], time_s > beats[-1]
    counted[before] = (time_s[before] - beats[0]) / (beats[1] - beats[0])
    counted[after] = len(beats) - 1 + (time_s[after] - beats[-1]) / (beats[-1] - beats[-2])
    return counted


class Sway:
    """Swings on from one stretch to the next, from frame 0 on."""

    def __init__(self, params: SwayParams, context: StepContext) -> None:
        self._params, self._first = params, 0

    def __call__(self, lift: FloatArray, *, context: StepContext) -> FloatArray:
        """Take the next frames."""
        frames = np.arange(self._first, self._first + lift.shape[-1], dtype=np.float64)
        self._first += lift.shape[-1]
        return _swayed(lift, frames, params=self._params, context=context)


def needs_beats(params: SwayParams) -> bool:
    """Say whether it is counted in beats."""
    return params.counted_in is PeriodUnit.BEATS


STEP = Step(
    id="sway",
    label="Sway",
    help="Turns the move into a swing to both sides of rest.",
    params=SwayParams,
    apply=sway,
    live=Live(Sway),
    needs_beats=needs_beats,
)

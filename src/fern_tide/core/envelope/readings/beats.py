"""Beats: the project's beat grid as a level."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.reading import Reading, Source, in_shares


class BeatsGiven(StrEnum):
    """A pulse on the beat, or a ramp that climbs or falls from one to the next."""

    PULSES = "pulses"
    CLIMB = "climb"
    FALL = "fall"


class BeatsParams(Params):
    """How a beat shows, and which beats."""

    given: Annotated[BeatsGiven, unit("", "A pulse on the beat, or a ramp from each beat to the next.")] = (
        BeatsGiven.PULSES
    )
    every: Annotated[int, Field(ge=1, le=64), unit("beats", "Only every so many beats.")] = 1
    first: Annotated[int, Field(ge=0, le=63), unit("beats", "Begin so many beats into the bar.")] = 0
    others: Annotated[
        float, Field(ge=0, le=1), unit("", "How strong a pulse is that does not begin a bar.", step=0.05)
    ] = 1.0


def read(params: BeatsParams, source: Source) -> FloatArray:
    """Give one value per frame, 0 to 1, shape (frames,); silent where there are no beats.

    A ramp begins in the frame that owns a beat and reaches the next beat's frame; after the last it goes on at the
    same pace and then stays.
    """
    beats = source.beats()
    out = np.zeros(source.n_frames)
    counted = np.arange(len(beats.times_s)) - beats.first_bar - params.first
    chosen = counted % params.every == 0
    frames = source.rate.frames_of_times(beats.times_s[chosen])
    if len(frames) == 0:
        return out
    if params.given is BeatsGiven.PULSES:
        strengths = np.where(beats.in_bar[chosen] == 1, 1.0, params.others)
        inside = (frames >= 0) & (frames < source.n_frames)
        np.maximum.at(out, frames[inside], strengths[inside])
        return out
    gap = int(frames[-1] - frames[-2]) if len(frames) > 1 else max(1, source.n_frames)
    ends = np.append(frames[1:], frames[-1] + max(1, gap))
    index = np.arange(source.n_frames)
    at = np.searchsorted(frames, index, side="right") - 1
    known = at >= 0
    begin, end = frames[np.maximum(at, 0)], ends[np.maximum(at, 0)]
    share = np.where(known, np.clip((index - begin) / np.maximum(end - begin, 1), 0.0, 1.0), 0.0)
    return share if params.given is BeatsGiven.CLIMB else np.where(known, 1.0 - share, 0.0)


READING = Reading(
    id="beats",
    label="Beats",
    help="The project's beat grid: pulses, or ramps within the beat.",
    params=BeatsParams,
    read=read,
    of_track=False,
    on_beats=lambda params: True,
    unit=in_shares,
)

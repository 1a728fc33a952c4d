"""Take: what was performed while the sound played, as hits or as the way of a pointer."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.limits import Most
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.hit_edits import MOST_EDITS, EditedHits, HitEdit, edited
from fern_tide.core.envelope.hits import Hits
from fern_tide.core.envelope.reading import Reading, Source, in_shares
from fern_tide.core.envelope.takes import (
    MOST_STRETCHES,
    MOST_TAKES,
    Performed,
    Stretch,
    Take,
    TakeKind,
    led,
    tapped,
)


class TakeGiven(StrEnum):
    """What is taken of a performance."""

    HITS = "hits"
    EVEN = "even hits"
    ACROSS = "across"
    UP = "up"
    PRESSURE = "pressure"


BEGINS = {TakeKind.TAPS: ("rise_and_fall rise_ms=0 fall_ms=260",), TakeKind.GESTURE: ("smooth width_ms=60",)}
"""The clean-ups that a new envelope of a take begins with, as text."""
OF_HITS = frozenset((TakeGiven.HITS, TakeGiven.EVEN))


class TakeParams(Params):
    """Which takes, how they are put together, and what is taken of them."""

    takes: Annotated[tuple[Performed, ...], Most(MOST_TAKES), unit("", "In the order of recording.", kind="takes")] = ()
    stretches: Annotated[
        tuple[Stretch, ...],
        Most(MOST_STRETCHES),
        unit("", "Which take counts where; elsewhere the last that was recorded there.", kind="stretches"),
    ] = ()
    given: Annotated[
        TakeGiven, unit("", "Hits by strength, or all alike; or where the pointer was.", label="Takes")
    ] = TakeGiven.HITS
    to_beat_percent: Annotated[
        float, Field(ge=0, le=100), unit("%", "Hits are drawn to the nearest beat so far.", step=5, label="To the beat")
    ] = 0.0
    later_s: Annotated[float, Field(ge=-36_000, le=36_000), unit("s", "So much later.", step=0.01, label="Later")] = 0.0
    edits: Annotated[
        tuple[HitEdit, ...], Most(MOST_EDITS), unit("", "Hits that are edited by hand.", kind="hit_edits")
    ] = ()


def media(params: TakeParams) -> tuple[str, ...]:
    """Give the files of the takes."""
    return tuple(sorted({one.media for one in params.takes}))


def _takes(params: TakeParams, source: Source) -> list[Take]:
    return [source.take(one.media) for one in params.takes]


def on_beats(params: TakeParams) -> bool:
    """Say whether hits are drawn to the beat."""
    return params.to_beat_percent > 0


def hits(params: TakeParams, source: Source) -> EditedHits | None:
    """Give the hits: put together, drawn to the beat t + q (nearest - t), then edited, then so much later.

    None where the way of a pointer is taken.
    """
    if params.given not in OF_HITS:
        return None
    times, strengths = tapped(_takes(params, source), params.stretches)
    laid = times
    if on_beats(params) and len(beats := source.beats().times_s):
        place = np.searchsorted(beats, times)
        before, after = beats[np.maximum(place - 1, 0)], beats[np.minimum(place, len(beats) - 1)]
        nearest = np.where(np.abs(times - before) <= np.abs(after - times), before, after)
        laid = times + params.to_beat_percent / 100.0 * (nearest - times)
    return edited(Hits(times, strengths), params.edits, later_s=params.later_s, laid_s=laid)


def read(params: TakeParams, source: Source) -> FloatArray:
    """Give the level, 0 to 1, shape (frames,); without a take it is silent.

    Hits are the strength of the strongest in the frame that owns it, or 1. A gesture is read at the frames' middles.
    """
    given = hits(params, source)
    if given is None:
        middles_s = source.rate.times(np.arange(source.n_frames, dtype=np.float64) + 0.5)
        return led(params.given.value, middles_s - params.later_s, _takes(params, source), stretches=params.stretches)
    frames = source.rate.frames_of_times(given.times_s)
    inside = (frames >= 0) & (frames < source.n_frames)
    level = np.zeros(source.n_frames)
    np.maximum.at(level, frames[inside], given.strengths[inside])
    return np.asarray(level > 0, dtype=np.float64) if params.given is TakeGiven.EVEN else level


READING = Reading(
    id="take",
    label="Take",
    help="What was performed while the sound played: taps as hits, or the way of a pointer.",
    params=TakeParams,
    role="take",
    read=read,
    hits=hits,
    own_hits=lambda params: params.given in OF_HITS,
    of_track=False,
    on_beats=on_beats,
    media=media,
    unit=in_shares,
    begins=BEGINS[TakeKind.TAPS],
)

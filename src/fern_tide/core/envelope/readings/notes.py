"""Notes: what a MIDI file plays, as hits, as what sounds, as pitch, or as one of its controllers."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import numpy as np
import numpy.typing as npt
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.notes import Notes
from fern_tide.core.envelope.reading import Reading, Source, in_shares

Key = Annotated[int, Field(ge=0, le=127)]


class NotesGiven(StrEnum):
    """What is taken of the notes."""

    HITS = "hits"
    SUSTAINED = "sustained"
    PITCH = "pitch"
    CONTROL = "controller"
    BEND = "pitch bend"


class NotesParams(Params):
    """Which file, and what of it."""

    media: Annotated[str, Field(pattern=r"^([0-9a-f]{64})?$"), unit("", "A Standard MIDI File.", kind="song")] = ""
    given: Annotated[
        NotesGiven,
        unit(
            "",
            "Hits: each note in its frame. Sustained: while it sounds. Pitch: the last one that began.",
            label="Takes",
        ),
    ] = NotesGiven.HITS
    low: Annotated[Key, unit("", "The lowest note; 60 is middle C.", label="From note")] = 0
    high: Annotated[Key, unit("", "The highest note.", label="To note")] = 127
    channel: Annotated[int, Field(ge=0, le=16), unit("", "Only of this channel; 0 is all.")] = 0
    control: Annotated[Key, unit("", "Which controller, where one is taken; 1 is the wheel.", label="Controller")] = 1
    later_s: Annotated[float, Field(ge=-36_000, le=36_000), unit("s", "So much later.", step=0.01, label="Later")] = 0.0


def media(params: NotesParams) -> tuple[str, ...]:
    """Give the file."""
    return (params.media,) if params.media else ()


def read(params: NotesParams, source: Source) -> FloatArray:
    """Give the level, 0 to 1, shape (frames,); without a file it is silent.

    Hits are the velocity of the hardest note in the frame that owns its beginning; sustained ones last from there to
    the frame that owns their end, one frame at least. Pitch is 0 at the lowest note and 1 at the highest, and stays
    until the next one begins. A controller, and a bend from 0 through 0.5 to 1, stays until it changes.
    """
    level = np.zeros(source.n_frames)
    if not params.media:
        return level
    notes = source.notes(params.media)
    if params.given in {NotesGiven.CONTROL, NotesGiven.BEND}:
        return _followed(_events(params, notes), params, source, rest=0.5 if params.given is NotesGiven.BEND else 0.0)
    chosen = notes.chosen(low=params.low, high=params.high, channel=params.channel)
    times = notes.times_s[chosen]
    if params.given is NotesGiven.PITCH:
        pitches = (notes.keys[chosen] - params.low) / max(1, params.high - params.low)
        return _followed(np.stack([times, pitches]), params, source, rest=0.0)
    sustained = params.given is NotesGiven.SUSTAINED
    return struck(notes, chosen, source, later_s=params.later_s, sustained=sustained)


def struck(
    notes: Notes, chosen: npt.NDArray[np.bool_], source: Source, *, later_s: float, sustained: bool
) -> FloatArray:
    """Give the velocity of notes in the frames in which they begin, or sound; the hardest counts, shape (frames,).

    Args:
        notes: of a file.
        chosen: which of them, shape (notes,).
        source: has the frames.
        later_s: how much later they are.
        sustained: whether they go on as long as they sound.
    """
    level = np.zeros(source.n_frames)
    times = notes.times_s[chosen] + later_s
    firsts = source.rate.frames_of_times(times)
    ends = (
        np.maximum(source.rate.frames_of_times(times + notes.lengths_s[chosen]), firsts + 1)
        if sustained
        else firsts + 1
    )
    for first, end, velocity in zip(firsts.tolist(), ends.tolist(), notes.velocities[chosen].tolist(), strict=True):
        stretch = level[max(0, first) : max(0, end)]
        np.maximum(stretch, velocity / 127.0, out=stretch)
    return level


def _events(params: NotesParams, notes: Notes) -> FloatArray:
    """Give the times and values of a controller or of the bend, shape (2, events), in the order of time."""
    if params.given is NotesGiven.BEND:
        of_channels = {channel: np.stack([row[0], row[1] / 2 + 0.5]) for channel, row in notes.bends.items()}
    else:
        of_channels = {channel: row for (channel, control), row in notes.controls.items() if control == params.control}
    rows = [row for channel, row in of_channels.items() if params.channel in (0, channel)]
    joined = np.concatenate([np.zeros((2, 0)), *rows], axis=1)
    return np.asarray(joined[:, np.argsort(joined[0], kind="stable")])


def _followed(events: FloatArray, params: NotesParams, source: Source, *, rest: float) -> FloatArray:
    """Give values that stay until the next one comes, from the frame that owns it on, shape (frames,)."""
    frames = source.rate.frames_of_times(events[0] + params.later_s)
    at = np.searchsorted(frames, np.arange(source.n_frames), side="right") - 1
    return np.clip(np.where(at >= 0, np.append(events[1], rest)[at], rest), 0.0, 1.0)


READING = Reading(
    id="notes",
    label="Notes",
    help="What a MIDI file plays: hits, what sounds, pitch, a controller or the bend.",
    params=NotesParams,
    role="notes",
    read=read,
    of_track=False,
    media=media,
    unit=in_shares,
    begins=("rise_and_fall rise_ms=0 fall_ms=260",),
)

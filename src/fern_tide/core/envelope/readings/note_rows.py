"""Rows of notes: a row for each note of a MIDI file, such as the keys of a piano or the pieces of a drum kit."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.reading import Reading, Source, in_shares
from fern_tide.core.envelope.readings.notes import Key, struck

_NAMES = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")


class NoteRowsParams(Params):
    """Which file, and which of its notes."""

    media: Annotated[str, Field(pattern=r"^([0-9a-f]{64})?$"), unit("", "A Standard MIDI File.", kind="song")] = ""
    low: Annotated[Key, unit("", "The note of the first row; 60 is middle C.", label="From note")] = 60
    high: Annotated[Key, unit("", "The note of the last row.", label="To note")] = 71
    sustained: Annotated[bool, unit("", "Whether a note goes on as long as it sounds.", label="While they sound")] = (
        False
    )
    channel: Annotated[int, Field(ge=0, le=16), unit("", "Only of this channel; 0 is all.")] = 0
    later_s: Annotated[float, Field(ge=-36_000, le=36_000), unit("s", "So much later.", step=0.01, label="Later")] = 0.0

    @model_validator(mode="after")
    def _in_order(self) -> NoteRowsParams:
        if self.high < self.low:
            raise InvalidParameter("To note", value=self.high, allowed=f"at least From note, {self.low}", field="high")
        return self


def media(params: NoteRowsParams) -> tuple[str, ...]:
    """Give the file."""
    return (params.media,) if params.media else ()


def rows(params: NoteRowsParams) -> tuple[str, ...]:
    """Name the rows, 60 being C4."""
    return tuple(f"{_NAMES[key % 12]}{key // 12 - 1}" for key in range(params.low, params.high + 1))


def read(params: NoteRowsParams, source: Source) -> FloatArray:
    """Give the velocity of each note, 0 to 1, shape (rows, frames), as readings/notes does; none without a file."""
    keys = range(params.low, params.high + 1)
    if not params.media:
        return np.zeros((len(keys), source.n_frames))
    notes = source.notes(params.media)
    return np.stack(
        [
            struck(
                notes,
                notes.chosen(low=key, high=key, channel=params.channel),
                source,
                later_s=params.later_s,
                sustained=params.sustained,
            )
            for key in keys
        ]
    )


READING = Reading(
    id="note_rows",
    label="Rows of notes",
    help="A row for each note of a MIDI file.",
    params=NoteRowsParams,
    read=read,
    of_track=False,
    media=media,
    rows=rows,
    unit=in_shares,
    begins=("rise_and_fall rise_ms=0 fall_ms=260",),
)

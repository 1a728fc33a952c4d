"""Hits and beats as MIDI notes: read back by another library's own seconds."""

import io

import mido
import numpy as np
import pytest

from fern_tide.core.envelope.beats import NO_BEATS, Beats
from fern_tide.core.envelope.notes import read_notes
from fern_tide.core.formats.hits_midi import write_hits


def played(content):
    """What sets in, by mido's own clock: seconds, key, velocity and channel."""
    now, out = 0.0, []
    for message in mido.MidiFile(file=io.BytesIO(content)):
        now += message.time
        if message.type == "note_on" and message.velocity:
            out.append((now, message.note, message.velocity, message.channel))
    return out


def test_hits_and_beats_are_notes_where_they_are():
    times = np.array([-0.2, 0.0, 1.23456, 1.26, 3599.987])
    strengths = np.array([1.0, 1.0, 0.5, 0.0, 0.25])
    beats = Beats(np.array([0.25, 0.75, 1.25]), 120.0, True, 2, 1)
    got = played(write_hits(times, strengths, beats=beats, name="Drip – Tröpfchen"))
    hits = [one for one in got if one[3] == 0]
    assert [one[0] for one in hits] == pytest.approx(times[1:].tolist(), abs=3e-5)
    assert [one[2] for one in hits] == [127, 64, 1, 32] and {one[1] for one in hits} == {60}
    assert [(one[0], one[1]) for one in got if one[3] == 9] == [(0.25, 77), (0.75, 76), (1.25, 77)]
    notes = read_notes(write_hits(times, strengths, beats=NO_BEATS, name=""))
    assert notes.lengths_s == pytest.approx([0.05, 1.26 - 1.23456, 0.05, 0.05], abs=1e-4)
    assert played(write_hits(times[:0], strengths[:0], beats=NO_BEATS, name="none")) == []

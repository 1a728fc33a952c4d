"""Hits and beats as the notes of a Standard MIDI File (MIDI 1.0; RP-001), in ticks of 1/19,200 s."""

from __future__ import annotations

import io

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.beats import Beats

TICKS_A_BEAT = 9_600
_TICKS_A_S = 2 * TICKS_A_BEAT  # at 120 beats a minute
_LONG_S = 0.05
_HIT, _BAR, _BEAT = 60, 76, 77  # of the percussion channel: high and low wood block
_PERCUSSION = 9


def latin(text: str) -> str:
    """Give a text in the letters that MIDI files have; others are question marks."""
    return text.encode("latin-1", "replace").decode("latin-1")


def write_hits(times_s: FloatArray, strengths: FloatArray, *, beats: Beats, name: str) -> bytes:
    """Write hits as notes of channel 1, as hard as they are strong, and beats as notes of channel 10.

    Args:
        times_s: of the hits, shape (hits,); what lies before 0 is left out.
        strengths: 0 to 1, shape (hits,).
        beats: the beat grid.
        name: of the file's first track.
    """
    import mido

    file = mido.MidiFile(type=1, ticks_per_beat=TICKS_A_BEAT)
    conductor = mido.MidiTrack([mido.MetaMessage("track_name", name=latin(name))])
    conductor.append(mido.MetaMessage("set_tempo", tempo=500_000))
    velocities = np.clip(np.round(strengths * 127), 1, 127).astype(int)
    hits = [(time, _HIT, velocity, 0) for time, velocity in zip(times_s.tolist(), velocities.tolist(), strict=True)]
    places = zip(beats.times_s.tolist(), beats.in_bar.tolist(), strict=True)
    grid = [(time, _BAR if place == 1 else _BEAT, 100, _PERCUSSION) for time, place in places]
    file.tracks += [conductor, _track(hits), _track(grid)]
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def _track(notes: list[tuple[float, int, int, int]]) -> object:
    """Give a track of notes, each a time, a key, a velocity and a channel; it ends where the next begins."""
    import mido

    events: list[tuple[int, int, mido.Message]] = []
    inside = [note for note in notes if note[0] >= 0]
    for at, (time, key, velocity, channel) in enumerate(inside):
        begin = round(time * _TICKS_A_S)
        following = round(inside[at + 1][0] * _TICKS_A_S) if at + 1 < len(inside) else begin + _TICKS_A_S
        end = min(begin + round(_LONG_S * _TICKS_A_S), max(following, begin + 1))
        events.append((begin, 1, mido.Message("note_on", note=key, velocity=velocity, channel=channel)))
        events.append((end, 0, mido.Message("note_off", note=key, channel=channel)))
    track, now = mido.MidiTrack(), 0
    for tick, _, message in sorted(events, key=lambda event: event[:2]):
        track.append(message.copy(time=tick - now))
        now = tick
    return track

"""Notes of a Standard MIDI File (MIDI 1.0; RP-001): when they sound, and what controllers and pitch bend do."""

from __future__ import annotations

import io
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.signal import FloatArray

HEAD = b"MThd"
MOST_BYTES = 8 << 20
MOST_EVENTS = 1_000_000
_US_A_BEAT = 500_000  # 120 beats a minute, until the file says otherwise
_DROP = 29  # of the SMPTE rates the one that is 30000/1001
_BEND = 8192
Whole = npt.NDArray[np.int64]


class UnreadableNotes(FernTideError):
    """A file holds no notes that can be read."""


@dataclass(frozen=True)
class Notes:
    """What a file plays, in seconds from its beginning.

    Attributes:
        times_s: when each note begins, ascending, shape (notes,).
        lengths_s: how long it sounds, shape (notes,).
        keys: which note it is, 0 to 127, 60 being middle C, shape (notes,).
        velocities: how hard it is struck, 1 to 127, shape (notes,).
        channels: 1 to 16, shape (notes,).
        controls: by channel and controller, its times and values, 0 to 1, shape (2, events).
        tempos: when the tempo changes, from 0 on, and the beats a minute from there, shape (2, changes); none of a file
            that is timed in SMPTE frames, which has no beats.
        per_bar: the beats in its first bar, counted in quarters as the tempo is; 0 where it does not say, or not whole.
        bends: by channel, its times and bends, -1 to 1, shape (2, events).
        end_s: when the file ends.
    """

    times_s: FloatArray
    lengths_s: FloatArray
    keys: Whole
    velocities: Whole
    channels: Whole
    controls: Mapping[tuple[int, int], FloatArray]
    bends: Mapping[int, FloatArray]
    tempos: FloatArray
    per_bar: int
    end_s: float

    def chosen(self, *, low: int, high: int, channel: int) -> npt.NDArray[np.bool_]:
        """Say which notes lie from one to another, both included, in a channel; 0 is any. Shape (notes,)."""
        return np.asarray((self.keys >= low) & (self.keys <= high) & ((channel == 0) | (self.channels == channel)))


@lru_cache(maxsize=8)
def read_notes(content: bytes) -> Notes:
    """Read a Standard MIDI File of format 0 or 1, timed in beats or in SMPTE frames.

    A note that is never let go sounds to the end. Notes of one key and channel that overlap end in the order in which
    they began.

    Raises:
        UnreadableNotes: it is none, is cut off, holds several songs, is too large, or its tempo is 0.
    """
    if not content.startswith(HEAD):
        raise UnreadableNotes("This is no MIDI file.", remedy="Choose a Standard MIDI File, .mid.")
    if len(content) > MOST_BYTES:
        raise UnreadableNotes(f"The MIDI file is larger than {MOST_BYTES >> 20} MB.", remedy="Split it.")
    tracks, division, kind = _parsed(content)
    if kind == 2:
        raise UnreadableNotes("The MIDI file holds several songs (format 2).", remedy="Save one as format 0 or 1.")
    events = sorted((event for track in tracks for event in _timed(track)), key=lambda event: event[0])
    if len(events) > MOST_EVENTS:
        raise UnreadableNotes(f"The MIDI file has more than {MOST_EVENTS:,} events.", remedy="Split it.")
    clock = _Clock(events, division)
    end = events[-1][0] if events else 0
    begun: list[tuple[int, int, int, int]] = []
    lengths, sounding = dict[int, int](), dict[tuple[int, int], list[int]]()
    controls: dict[tuple[int, int], list[tuple[int, float]]] = {}
    bends: dict[int, list[tuple[int, float]]] = {}
    for tick, event in events:
        if event.type in {"note_on", "note_off"}:
            key = (event.channel, event.note)
            if event.type == "note_on" and event.velocity:
                sounding.setdefault(key, []).append(len(begun))
                begun.append((tick, event.note, event.velocity, event.channel + 1))
            elif sounding.get(key):
                first = sounding[key].pop(0)
                lengths[first] = tick
        elif event.type == "control_change":
            controls.setdefault((event.channel + 1, event.control), []).append((tick, event.value / 127.0))
        elif event.type == "pitchwheel":
            bends.setdefault(event.channel + 1, []).append((tick, event.pitch / _BEND))
    columns = np.array(begun, dtype=np.int64).reshape(-1, 4).T
    ends = np.array([lengths.get(at, end) for at in range(len(begun))], dtype=np.int64)
    times = clock.seconds(columns[0])
    return Notes(
        times_s=times,
        lengths_s=clock.seconds(ends) - times,
        keys=columns[1],
        velocities=columns[2],
        channels=columns[3],
        controls={key: clock.timed(pairs) for key, pairs in controls.items()},
        bends={key: clock.timed(pairs) for key, pairs in bends.items()},
        tempos=clock.tempos,
        per_bar=_per_bar(events),
        end_s=float(clock.seconds(np.array([end]))[0]),
    )


def _parsed(content: bytes) -> tuple[list[Any], int, int]:
    """Give a file's tracks, how its time is counted, and its format."""
    import mido

    try:
        file = mido.MidiFile(file=io.BytesIO(content), clip=True)
    except EOFError as cause:
        raise UnreadableNotes("The MIDI file is cut off.", remedy="Export it again.") from cause
    except (OSError, ValueError, KeyError, IndexError, TypeError) as cause:
        raise UnreadableNotes("The MIDI file is damaged.", remedy="Export it again.") from cause
    return file.tracks, int(file.ticks_per_beat), int(file.type)


def _per_bar(events: list[tuple[int, Any]]) -> int:
    for _, event in events:
        if event.type == "time_signature":
            quarters = 4 * event.numerator
            return int(quarters // event.denominator) if quarters % event.denominator == 0 else 0
    return 0


def _timed(track: Any) -> Iterator[tuple[int, Any]]:
    now = 0
    for event in track:
        now += event.time
        yield now, event


class _Clock:
    """The seconds of ticks: of beats by the tempo map, of SMPTE frames by their rate."""

    def __init__(self, events: list[tuple[int, Any]], division: int) -> None:
        if division == 0:
            raise UnreadableNotes("The MIDI file counts no time: its division is 0.", remedy="Export it again.")
        changes = [(tick, event.tempo) for tick, event in events if event.type == "set_tempo"]
        if any(tempo <= 0 for _, tempo in changes):
            raise UnreadableNotes("The MIDI file has a tempo of 0.", remedy="Give it a tempo and export it again.")
        latest = dict([(0, _US_A_BEAT), *changes])
        ticks, tempos = (np.array(list(row), dtype=np.float64) for row in (latest.keys(), latest.values()))
        a_tick = tempos / 1e6 / division
        if division < 0:
            raw = division & 0xFFFF
            rate, parts = 256 - (raw >> 8), max(1, raw & 0xFF)
            fps = 30_000 / 1001 if rate == _DROP else float(rate)
            a_tick = np.full(len(ticks), 1.0 / (fps * parts))
            tempos = tempos[:0]
        self._ticks, self._a_tick = ticks, a_tick
        self._begins = np.concatenate([[0.0], np.cumsum(np.diff(ticks) * a_tick[:-1])])
        self.tempos = np.stack([self._begins[: len(tempos)], 60e6 / tempos])

    def seconds(self, ticks: npt.NDArray[np.int64]) -> FloatArray:
        """Give the seconds of ticks, of the same shape."""
        at = np.searchsorted(self._ticks, ticks, side="right") - 1
        return np.asarray(self._begins[at] + (ticks - self._ticks[at]) * self._a_tick[at], dtype=np.float64)

    def timed(self, pairs: list[tuple[int, float]]) -> FloatArray:
        """Give pairs of a tick and a value as seconds and values, shape (2, pairs)."""
        ticks = np.array([tick for tick, _ in pairs], dtype=np.int64)
        return np.stack([self.seconds(ticks), np.array([value for _, value in pairs])])

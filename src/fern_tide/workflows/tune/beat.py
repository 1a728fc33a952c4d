"""Corrections of the beat grid: each turns the grid as it stands into a new setting."""

from __future__ import annotations

from enum import StrEnum

import numpy as np

from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.document import Project
from fern_tide.core.envelope.beat_grid import FASTEST_BPM, SLOWEST_BPM, BeatSetting
from fern_tide.core.envelope.beats import Beats
from fern_tide.core.envelope.notes import Notes

MOST_TAP_GAP_S = 2.5


class Correction(StrEnum):
    """What can be done to a grid."""

    DOUBLE = "double"
    HALVE = "halve"
    HALF_ON = "half_on"
    TEMPO = "tempo"
    MOVE = "move"
    TAPPED = "tapped"
    PER_BAR = "per_bar"
    BAR_HERE = "bar_here"
    DETECTED = "detected"
    TRACK = "track"
    SONG = "song"


def corrected(
    project: Project,
    beats: Beats,
    *,
    how: Correction,
    number: float = 0.0,
    times_s: tuple[float, ...] = (),
    track: str | None = None,
    song: Notes | None = None,
    later_s: float = 0.0,
) -> BeatSetting:
    """Give the setting after a correction.

    Args:
        project: its setting is corrected.
        beats: the grid as it stands.
        how: what is done.
        number: the tempo in BPM, the beats in a bar, seconds to move by, or the time in seconds at which a bar begins.
        times_s: what was tapped, in seconds of the project.
        track: in which track beats are found.
        song: whose tempo map becomes the grid.
        later_s: how much later than the project the song begins.

    Raises:
        InvalidParameter: the tempo or bar would be out of range.
        FernTideError: there are too few taps.
    """
    now = project.beat
    if how is Correction.DETECTED:
        return BeatSetting(track=now.track, per_bar=now.per_bar)
    if how is Correction.TRACK:
        return BeatSetting(track=track or None, per_bar=now.per_bar)
    if how is Correction.SONG:
        return _of_song(now, song, later_s)
    if how is Correction.PER_BAR:
        return _checked(now, per_bar=int(number), bar_on=0)
    if how is Correction.TEMPO:
        return _even(now, beats, bpm=number)
    if how is Correction.TAPPED:
        return _of_taps(now, np.sort(np.asarray(times_s, dtype=np.float64)))
    if how is Correction.BAR_HERE:
        return _bar_at(now, beats, number)
    if now.bpm is not None:
        period = 60.0 / now.bpm
        if how in {Correction.DOUBLE, Correction.HALVE}:
            return _checked(now, bpm=now.bpm * (2.0 if how is Correction.DOUBLE else 0.5))
        later = period / 2.0 if how is Correction.HALF_ON else number
        return _checked(now, first_s=now.first_s + later)
    if how in {Correction.DOUBLE, Correction.HALVE}:
        return _checked(now, doublings=now.doublings + (1 if how is Correction.DOUBLE else -1))
    if how is Correction.HALF_ON:
        return _checked(now, half_on=not now.half_on)
    return _checked(now, shift_s=now.shift_s + number)


def _checked(now: BeatSetting, **changes: object) -> BeatSetting:
    try:
        return BeatSetting.model_validate({**now.model_dump(), **changes})
    except ValueError as cause:
        name, value = next(iter(changes.items()))
        allowed = {
            "bpm": f"{SLOWEST_BPM:g} to {FASTEST_BPM:g} BPM",
            "per_bar": "1 to 16 beats",
            "tempos": "tempos of 1 to 1,000 BPM, at most 5,000 of them",
            "doublings": "at most three doublings or halvings of what was found",
        }.get(name, "a smaller move")
        raise InvalidParameter(
            {"bpm": "tempo", "per_bar": "bar", "tempos": "tempo map"}.get(name, "grid"), value=value, allowed=allowed
        ) from cause


def _even(now: BeatSetting, beats: Beats, *, bpm: float) -> BeatSetting:
    """Give an even grid through the first beat that is there."""
    first = float(beats.times_s[0]) if len(beats.times_s) else 0.0
    return _checked(now, bpm=bpm, first_s=first, tempos=(), doublings=0, half_on=False, shift_s=0.0)


def _of_taps(now: BeatSetting, times: FloatArray) -> BeatSetting:
    """Fit an even grid through what was tapped; a gap of more than 2.5 s begins anew."""
    breaks = np.flatnonzero(np.diff(times) > MOST_TAP_GAP_S)
    times = times[int(breaks[-1]) + 1 if len(breaks) else 0 :]
    if len(times) < 3:
        raise FernTideError("There are too few taps for a tempo.", remedy="Tap at least three beats while it plays.")
    gaps = np.diff(times)
    index = np.concatenate([[0.0], np.cumsum(np.maximum(np.round(gaps / np.median(gaps)), 1.0))])
    slope, first = np.polyfit(index, times, 1)
    bpm = 60.0 / float(slope)
    return _checked(now, bpm=bpm, first_s=float(first), tempos=(), doublings=0, half_on=False, shift_s=0.0, bar_on=0)


def _of_song(now: BeatSetting, song: Notes | None, later_s: float) -> BeatSetting:
    """Give the grid of a song's tempo map."""
    if song is None:
        raise FernTideError("This envelope reads no MIDI file.", remedy="Choose one that does.")
    times, bpm = song.tempos
    if not len(times):
        raise FernTideError("The MIDI file is timed in frames: it has no beats.", remedy="Choose one timed in beats.")
    keep = np.append(np.diff(times) > 0, True)  # of two at once the later one counts
    plain = [{"time_s": t + later_s, "bpm": b} for t, b in zip(times[keep].tolist(), bpm[keep].tolist(), strict=True)]
    per_bar = song.per_bar if 1 <= song.per_bar <= 16 else now.per_bar
    return _checked(BeatSetting(track=now.track), tempos=plain, per_bar=per_bar)


def _bar_at(now: BeatSetting, beats: Beats, time_s: float) -> BeatSetting:
    """Let a bar begin at the beat nearest a time."""
    if not len(beats.times_s):
        raise FernTideError("There are no beats yet.", remedy="Set a tempo first, or tap one.")
    nearest = int(np.argmin(np.abs(beats.times_s - time_s)))
    later = (nearest - beats.first_bar) % beats.per_bar
    return _checked(now, bar_on=(now.bar_on + later) % now.per_bar)

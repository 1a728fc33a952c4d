"""Listens to what drives: finds the voices in it that could move something."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.units import from_db
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.envelope import Envelope
from fern_tide.core.first_cut.ear import Ear, envelope_of
from fern_tide.core.first_cut.sound import SILENT_DB, Levels, Role, SoundSummary, Voice, likeness, range_db
from fern_tide.core.sound.channels import Channel

_AGAIN = 0.7  # how much a voice of a track counts that has a role already
_SHORT = 24  # letters of a track's name before the reason, which has one line
_UNLIKE = 0.5  # a correlation below which two levels move by themselves


def listen(project: Project, levels: Levels, *, rows: int = 0) -> SoundSummary:
    """Find the voices of what drives.

    Of several tracks, stems for instance, each role goes to the one that is best at it; a track that has a role already
    is only taken for another where it is clearly better.

    Args:
        project: its tracks.
        levels: gives what is read from them.
        rows: how many things alike there are, which may follow a row of a bank each; 0 for none.

    Raises:
        NotReadYet: their features are still being read.
    """
    tracks = tracks_of(project)
    if not tracks or not project.n_frames:
        return SoundSummary((), np.zeros(0), reason="There is no sound that drives.")
    loudness, channels = zip(*(_loudness(project, levels, track) for track in tracks), strict=True)
    whole = np.asarray(np.max(loudness, axis=0))
    if not any(channels):
        names = ", ".join(track.name for track in tracks)
        words = f"{names:.120} {'is' if len(tracks) == 1 else 'are'} silent: there is nothing that could move anything."
        return SoundSummary((), whole, reason=words)
    beats = levels.beats(project)
    beat_s = 60.0 / beats.bpm if beats.bpm and beats.steady and len(beats.times_s) >= 8 else 0.0
    heard = [(track, channel) for track, channel in zip(tracks, channels, strict=True) if channel is not None]
    ears = [Ear(project, levels, track, beats, channel) for track, channel in heard]
    voices = [voice for voice in _voices(ears, rows) if voice is not None]
    pulse = next((voice for voice in voices if voice.role is Role.PULSE), None)
    if pulse is not None:  # whoever follows the same band answers the same hits
        voices = [replace(voice, hits=pulse.hits) if voice.envelope == pulse.envelope else voice for voice in voices]
    if len(tracks) > 1:
        voices = [_named(voice, project.track(voice.envelope.track or "")) for voice in voices]
    return SoundSummary(tuple(voices), whole, beat_s)


def tracks_of(project: Project) -> list[Track]:
    """List the tracks that a first cut listens to: the one whose beats are found, and all others that drive."""
    first = project.beat_track
    return [] if first is None else [first, *(track for track in project.tracks if track.drives and track != first)]


def _loudness(project: Project, levels: Levels, track: Track) -> tuple[FloatArray, Channel | None]:
    """Give how loud a track is, shape (frames,), in the channel that it is heard in; None of one that is silent."""
    whole = np.zeros(0)
    for channel in (Channel.MID, Channel.LOUDEST):  # what is in no front channel, or cancels out, is heard all the same
        whole = levels.cleaned(project, envelope_of(track, "Whole", reading=f"amplitude channel={channel}"))
        if float(whole.max(initial=0.0)) >= from_db(SILENT_DB):
            return whole, channel
    return whole, None


def _voices(ears: Sequence[Ear], rows: int) -> list[Voice | None]:
    """Give a voice a role, in the order of the roles, where there is one."""
    bands = [ear.bands() for ear in ears]
    sparkle = _best([(ear, ear.sparkle()) for ear in ears], Ear.glittering, ())
    pulse = _best([(ear, ear.pulse(own)) for ear, own in zip(ears, bands, strict=True)], Ear.drumming, [sparkle])
    bed = _clearest((ear.bed() for ear in ears), [sparkle, pulse])
    taken = [voice for voice in (pulse, bed, sparkle) if voice is not None]
    every = [option for own in bands for option in own]
    tone = _tone([*every, *(bright for ear in ears if (bright := ear.brightness()) is not None)], taken)
    loudest = _loudest(every, [*taken, tone])
    plain = _clearest((ear.plain() for ear in ears), [*taken, tone, loudest])
    return [pulse, bed, sparkle, tone, loudest, ears[0].rows(rows), plain]


def _tracks(taken: Iterable[Voice | None]) -> set[str | None]:
    return {voice.envelope.track for voice in taken if voice is not None}


def _clearest(voices: Iterable[Voice | None], taken: Iterable[Voice | None]) -> Voice | None:
    """Give the clearest; those of tracks that are taken count for less."""
    used, heard = _tracks(taken), [voice for voice in voices if voice is not None]
    return max(heard, key=lambda one: one.clear * _again(one, used), default=None)


def _best(
    voices: Sequence[tuple[Ear, Voice | None]], good: Callable[[Ear, Voice], float], taken: Iterable[Voice | None]
) -> Voice | None:
    """Give the voice that is best by some measure of its track; those of tracks that are taken count for less."""
    used, heard = _tracks(taken), [(ear, voice) for ear, voice in voices if voice is not None]
    if len(heard) < 2:
        return next((voice for _, voice in heard), None)
    return max(heard, key=lambda one: good(*one) * _again(one[1], used))[1]


def _again(voice: Voice, used: set[str | None]) -> float:
    """Give how much a voice counts beside those of other tracks."""
    return _AGAIN if voice.envelope.track in used else 1.0


def _tone(options: Sequence[tuple[Envelope, FloatArray]], taken: Sequence[Voice]) -> Voice | None:
    """Give the level that moves least like those that are taken, of a track of its own where one is unlike enough."""
    used, tracks = {voice.envelope.id for voice in taken}, _tracks(taken)
    unlike: list[tuple[bool, float, int]] = []
    for at, (envelope, level) in enumerate(options):
        like = max((likeness(level, voice.level) for voice in taken), default=0.0)
        heard = level[level > 0]
        moves = heard.size >= 8 and float(np.ptp(np.percentile(heard, [10, 90]))) >= 0.01
        if moves and like < _UNLIKE and envelope.id not in used:
            unlike.append((envelope.track in tracks, like, at))
    if not unlike:
        return None
    _, like, at = min(unlike)
    envelope, level = options[at]
    return Voice(Role.TONE, envelope, level, 1.0 - like, f"moves least like the others ({like:.2f})")


def _loudest(options: Sequence[tuple[Envelope, FloatArray]], taken: Iterable[Voice | None]) -> Voice | None:
    """Give the band with the most in it; those of tracks that are taken count for less."""
    used = _tracks(taken)
    loud = [float(np.percentile(level, 90)) * (_AGAIN if one.track in used else 1.0) for one, level in options]
    if not loud:
        return None
    envelope, level = options[int(np.argmax(loud))]
    between = range_db(level)
    words = f"the loudest band, {between:.0f} dB of range"
    return Voice(Role.LOUDEST, envelope, level, min(1.0, between / 24.0), words)


def _named(voice: Voice, track: Track) -> Voice:
    """Say which of several tracks a voice is of, in its envelope's name and in its reason."""
    name, short = voice.envelope.name, track.name if len(track.name) <= _SHORT else f"{track.name[:_SHORT].rstrip()}…"
    envelope = voice.envelope.but(name=f"{track.name[:80]}, {name[:1].lower()}{name[1:]}"[:120])
    return replace(voice, envelope=envelope, reason=f"{short}: {voice.reason}")

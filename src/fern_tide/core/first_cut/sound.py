"""What is known of a sound: the voices in it that could move something, each with its numbers."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from typing import Protocol

import numpy as np

from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.base.units import from_db, to_db
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.bands import suggest_bands
from fern_tide.core.envelope.beats import NEAR_S, Beats
from fern_tide.core.envelope.envelope import CleanUpChoice, Envelope, ReadingChoice, needs
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.sound.channels import Channel
from fern_tide.core.sound.features import Feature, SpectrumFeature
from fern_tide.core.sound.spectrum import Part, Window

SPECTRUM = SpectrumFeature(channel=Channel.MID, window=Window.BALANCED)
_READ_ALWAYS = frozenset((SPECTRUM, SpectrumFeature(channel=Channel.MID, window=Window.FINE, part=Part.LOWS)))
MOST_ROWS = 24
_SILENT_DB = -60.0
_LEAST_RANGE_DB = 6.0  # of a bed that is worth following
_SPARKLE_HZ = 3000.0
_UNLIKE = 0.5  # a correlation below which two levels move by themselves
_COMPARED = 4000  # frames that are compared with one another
_PULSE_A_SECOND = (0.15, 5.0)
_FAST = ("rise_and_fall rise_ms=10 fall_ms=220", "smooth width_ms=60")


class Levels(Protocol):
    """Gives what is read from a project's sounds."""

    def cleaned(self, project: Project, envelope: Envelope) -> FloatArray:
        """Give an envelope's level after clean-up, (frames,) or (rows, frames)."""

    def lift(self, project: Project, mapping: Mapping) -> FloatArray:
        """Give a mapping's lift after its steps, (frames,) or (rows, frames)."""

    def beats(self, project: Project) -> Beats:
        """Give the project's beat grid."""

    def feature(self, project: Project, track: Track, feature: Feature) -> Float32Array:
        """Give a feature of a track."""


class Role(StrEnum):
    """What a voice is good for."""

    PULSE = "pulse"
    BED = "bed"
    SPARKLE = "sparkle"
    TONE = "tone"
    LOUDEST = "loudest"
    ROWS = "rows"
    PLAIN = "plain"


@dataclass(frozen=True, eq=False)
class Voice:
    """Something in a sound that could move things.

    Attributes:
        role: what it is good for.
        envelope: how it is read.
        level: that envelope's, shape (frames,); of a bank the highest of its rows.
        clear: how well it can be told from silence, 0 to 1.
        reason: the same in words, with numbers.
    """

    role: Role
    envelope: Envelope
    level: FloatArray
    clear: float
    reason: str


@dataclass(frozen=True, eq=False)
class SoundSummary:
    """What is known of a project's sound.

    Attributes:
        voices: in the order of their roles, at most one a role.
        loudness: the level of the whole, shape (frames,), not smoothed.
        beat_s: how far beats are apart, in seconds; 0 where there is no sure tempo.
        reason: why there is no voice; '' where there is one.
    """

    voices: tuple[Voice, ...]
    loudness: FloatArray
    beat_s: float = 0.0
    reason: str = ""

    def voice(self, role: Role) -> Voice | None:
        """Give the voice of a role, or None."""
        return next((voice for voice in self.voices if voice.role is role), None)

    def first_of(self, *roles: Role) -> Voice | None:
        """Give the voice of the first of some roles that there is, or None."""
        return next((voice for role in roles if (voice := self.voice(role)) is not None), None)

    def only(self, envelope: Envelope, level: FloatArray) -> SoundSummary:
        """Give a summary in which one envelope stands for every voice."""
        followed = np.asarray(level.max(axis=0)) if level.ndim > 1 else level
        between = range_db(followed)
        clear, words = min(1.0, 0.2 + between / 20.0), f"{between:.0f} dB between quiet and loud"
        roles = [Role.ROWS] if level.ndim > 1 else [role for role in Role if role not in {Role.ROWS, Role.PLAIN}]
        voices = tuple(Voice(role, envelope, followed, clear, words) for role in roles)
        return SoundSummary(voices, self.loudness, self.beat_s, self.reason)


def range_db(level: FloatArray) -> float:
    """Give how far a level's loud tenth lies above its quiet tenth, in dB, where it is heard at all."""
    heard = level[level > from_db(_SILENT_DB)]
    if heard.size < 8:
        return 0.0
    low, high = np.percentile(to_db(heard), [10, 90])
    return float(high - low)


def likeness(one: FloatArray, other: FloatArray) -> float:
    """Give how much two levels move together, 0 to 1: the size of their correlation; 0 where one is still."""
    step = max(1, len(one) // _COMPARED)
    a, b = one[::step], other[::step]
    if float(np.ptp(a)) < 1e-9 or float(np.ptp(b)) < 1e-9:
        return 0.0
    return abs(float(np.corrcoef(a, b)[0, 1]))


def envelope_of(track: Track, id: str, name: str, reading: str, *clean_up: str) -> Envelope:
    """Write an envelope of a track down from text, under an id that none in a document has."""
    return Envelope(
        id=f"first-cut-{id}",
        name=name[:120],
        track=track.id,
        reading=ReadingChoice.parse(reading),
        clean_up=tuple(map(CleanUpChoice.parse, clean_up)),
    )


def bank_of(track: Track, rows: int) -> Envelope:
    """Give the envelope of as many bands as there are things alike, 32 at most."""
    bands = min(max(2, rows), MOST_ROWS)
    top = min(12_000, track.info.sample_rate_hz // 2)
    reading = f"bank bands={bands} low_hz=40 high_hz={top}"
    return envelope_of(track, f"{bands}-bands", f"{bands} bands", reading, "smooth width_ms=120")


def listen(project: Project, levels: Levels, *, rows: int = 0) -> SoundSummary:
    """Find the voices of the track that drives first.

    Args:
        project: its tracks.
        levels: gives what is read from them.
        rows: how many things alike there are, which may follow a row of a bank each; 0 for none.

    Raises:
        NotReadYet: its features are still being read.
    """
    track = project.beat_track
    if track is None or not project.n_frames:
        return SoundSummary((), np.zeros(0), reason="There is no sound that drives.")
    whole = levels.cleaned(project, envelope_of(track, "whole", "Whole", "amplitude"))
    if float(whole.max(initial=0.0)) < from_db(_SILENT_DB):
        return SoundSummary((), whole, reason=f"{track.name} is silent: there is nothing that could move anything.")
    beats = levels.beats(project)
    beat_s = 60.0 / beats.bpm if beats.bpm and beats.steady and len(beats.times_s) >= 8 else 0.0
    ear = _Ear(project, levels, track, beats)
    bands = ear.bands()
    pulse, bed, sparkle = ear.pulse(bands), ear.bed(), ear.sparkle()
    taken = [voice for voice in (pulse, bed, sparkle) if voice is not None]
    found = [*taken, ear.tone(bands, taken), ear.loudest(bands), ear.rows(rows), ear.plain()]
    return SoundSummary(tuple(voice for voice in found if voice is not None), whole, beat_s)


@dataclass(frozen=True)
class _Ear:
    """Listens to one track."""

    project: Project
    levels: Levels
    track: Track
    beats: Beats

    def _level(self, envelope: Envelope) -> FloatArray:
        level = self.levels.cleaned(self.project, envelope)
        return np.asarray(level.max(axis=0)) if level.ndim > 1 else level

    def bands(self) -> list[tuple[Envelope, FloatArray]]:
        """Give the bands that move most independently, with their levels."""
        track = self.track
        stored = self.levels.feature(self.project, track, SPECTRUM)
        found = suggest_bands(stored, SPECTRUM.edges_hz(track.info.sample_rate_hz))
        envelopes = []
        for band in found:
            low, high = round(band.low_hz), round(min(band.high_hz, track.info.sample_rate_hz / 2))
            for window in ("auto", "balanced"):  # what is read of every track is enough for one of them
                reading = f"band low_hz={low} high_hz={high} window={window}"
                envelope = envelope_of(track, f"band-{low}-{high}", f"Band {low}-{high} Hz", reading, *_FAST)
                if _READ_ALWAYS.issuperset(needs(envelope.reading, track.info)):
                    envelopes.append(envelope)
                    break
        return [(envelope, self._level(envelope)) for envelope in envelopes]

    def _hits(self, low_hz: float, high_hz: float) -> FloatArray:
        reading = f"hits low_hz={low_hz:g} high_hz={high_hz:g}"
        return self._level(envelope_of(self.track, "hits", "Hits", reading))

    def _on_beat(self, frames: Iterable[int]) -> int:
        if not len(self.beats.times_s):
            return 0
        times = (np.fromiter(frames, dtype=np.float64) + 0.5) / float(self.project.rate.fps)
        near = np.abs(times[:, None] - self.beats.times_s[None, :]).min(axis=1)
        return int(np.count_nonzero(near <= NEAR_S + 0.5 / float(self.project.rate.fps)))

    def pulse(self, bands: list[tuple[Envelope, FloatArray]]) -> Voice | None:
        """Give the band whose hits are clearest over what lies between them, and nearest the beat."""
        seconds = self.project.n_frames / float(self.project.rate.fps)
        best: Voice | None = None
        for envelope, level in bands:
            params = envelope.reading.params.model_dump()
            at = np.flatnonzero(self._hits(params["low_hz"], params["high_hz"]))
            if not _PULSE_A_SECOND[0] <= len(at) / seconds <= _PULSE_A_SECOND[1]:
                continue
            tops = [float(level[frame : frame + 4].max()) for frame in at]
            over = float(to_db(float(np.median(tops))) - to_db(max(float(np.percentile(level, 25)), from_db(-80.0))))
            beat = self._on_beat(at)
            clear = min(1.0, max(0.0, over) / 30.0) * (0.7 + 0.3 * beat / len(at))
            words = f"{len(at)} hits, {over:.0f} dB over what lies between"
            words += f", {beat} of them on the beat" if beat else ""
            if best is None or clear > best.clear:
                best = Voice(Role.PULSE, envelope, level, clear, words)
        return best

    def bed(self) -> Voice | None:
        """Give loudness as it comes and goes over seconds, where it ranges over 6 dB or more."""
        clean_up = "smooth width_ms=1500"
        envelope = envelope_of(self.track, "slow-loudness", "Slow loudness", "amplitude", clean_up)
        level = self._level(envelope)
        between = range_db(level)
        if between < _LEAST_RANGE_DB:
            return None
        words = f"swells over seconds, {between:.0f} dB between quiet and loud"
        return Voice(Role.BED, envelope, level, min(1.0, between / 18.0), words)

    def sparkle(self) -> Voice | None:
        """Give the hits above 3 kHz, where there are many."""
        top = self.track.info.sample_rate_hz / 2
        if top <= _SPARKLE_HZ:
            return None
        reading = f"hits low_hz={_SPARKLE_HZ:g} high_hz={min(20_000.0, top):g}"
        clean_up = "rise_and_fall rise_ms=0 fall_ms=260"
        envelope = envelope_of(self.track, "high-hits", "High hits", reading, clean_up)
        at = np.flatnonzero(self._hits(_SPARKLE_HZ, min(20_000.0, top)))
        if len(at) < 0.4 * self.project.n_frames / float(self.project.rate.fps):
            return None
        level = self._level(envelope)
        beat = self._on_beat(at)
        words = f"{len(at)} hits above 3 kHz" + (f", {beat} on the beat" if beat else "")
        return Voice(Role.SPARKLE, envelope, level, min(1.0, float(np.percentile(level, 90))), words)

    def tone(self, bands: list[tuple[Envelope, FloatArray]], taken: list[Voice]) -> Voice | None:
        """Give brightness or a band that moves least like the others."""
        bright = envelope_of(self.track, "brightness", "Brightness", "brightness", "smooth width_ms=400")
        used = {voice.envelope.id for voice in taken}
        options = [(envelope, level) for envelope, level in bands if envelope.id not in used]
        options.append((bright, self._level(bright)))
        likest = [max((likeness(level, voice.level) for voice in taken), default=0.0) for _, level in options]
        at = int(np.argmin(likest))
        (envelope, level), like = options[at], likest[at]
        heard = level[level > 0]
        if like >= _UNLIKE or heard.size < 8 or float(np.ptp(np.percentile(heard, [10, 90]))) < 0.01:
            return None
        words = f"moves least like the others ({like:.2f})"
        return Voice(Role.TONE, envelope, level, 1.0 - like, words)

    def loudest(self, bands: list[tuple[Envelope, FloatArray]]) -> Voice | None:
        """Give the band with the most in it."""
        if not bands:
            return None
        envelope, level = max(bands, key=lambda item: float(np.percentile(item[1], 90)))
        between = range_db(level)
        return Voice(
            Role.LOUDEST, envelope, level, min(1.0, between / 24.0), f"the loudest band, {between:.0f} dB of range"
        )

    def plain(self) -> Voice:
        """Give loudness itself: there is always that."""
        envelope = envelope_of(self.track, "loudness", "Loudness", "amplitude", "smooth width_ms=600")
        words = "has no hits and no swells: only how loud it is counts"
        return Voice(Role.PLAIN, envelope, self._level(envelope), 0.4, words)

    def rows(self, count: int) -> Voice | None:
        """Give a bank of as many bands as there are things alike."""
        if count < 2:
            return None
        envelope = bank_of(self.track, count)
        level = self._level(envelope)
        words = f"from 40 Hz to {_kilo(envelope)}, a row of the bank each"
        return Voice(Role.ROWS, envelope, level, min(1.0, range_db(level) / 15.0), words)


def _kilo(envelope: Envelope) -> str:
    return f"{envelope.reading.params.model_dump()['high_hz'] / 1000:g} kHz"

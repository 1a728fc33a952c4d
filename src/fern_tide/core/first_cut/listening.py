"""Listens to what drives: finds the voices in it that could move something."""

from __future__ import annotations

import zlib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.naming import fresh_id
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.units import from_db, to_db
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.bands import suggest_bands
from fern_tide.core.envelope.beats import NEAR_S, Beats
from fern_tide.core.envelope.envelope import CleanUpChoice, Envelope, ReadingChoice, needs
from fern_tide.core.first_cut.sound import SILENT_DB, Levels, Role, SoundSummary, Voice, likeness, range_db
from fern_tide.core.sound.channels import Channel
from fern_tide.core.sound.features import SpectrumFeature
from fern_tide.core.sound.spectrum import Part, Window

MOST_ROWS = 24
_SPARKLE_HZ = 3000.0
_LEAST_RANGE_DB = 6.0  # of a bed that is worth following
_AGAIN = 0.7  # how much a voice of a track counts that has a role already
_SHORT = 24  # letters of a track's name before the reason, which has one line
_UNLIKE = 0.5  # a correlation below which two levels move by themselves
_PULSE_A_SECOND = (0.15, 5.0)
_FAST = ("rise_and_fall rise_ms=10 fall_ms=220", "smooth width_ms=60")


def spectra(channel: Channel) -> tuple[SpectrumFeature, SpectrumFeature]:
    """Give the two spectra that bands are read from: of the mid they are read of every track."""
    lows = SpectrumFeature(channel=channel, window=Window.FINE, part=Part.LOWS)
    return SpectrumFeature(channel=channel, window=Window.BALANCED), lows


def envelope_of(track: Track, name: str, *, reading: str, clean_up: tuple[str, ...] = ()) -> Envelope:
    """Write an envelope of a track down from text, under an id that none in a document has."""
    return Envelope(
        id=f"first-cut-{zlib.crc32(track.id.encode()):08x}-{fresh_id(name, among=())}",
        name=name[:120],
        track=track.id,
        reading=ReadingChoice.parse(reading),
        clean_up=tuple(map(CleanUpChoice.parse, clean_up)),
    )


def bank_of(track: Track, rows: int, *, channel: Channel = Channel.MID, most: int = MOST_ROWS) -> Envelope:
    """Give the envelope of as many bands as there are things alike, 2 to `most`."""
    bands = min(max(2, rows), most)
    top = min(12_000, track.info.sample_rate_hz // 2)
    reading = f"bank channel={channel} bands={bands} low_hz=40 high_hz={top}"
    return envelope_of(track, f"{bands} bands", reading=reading, clean_up=("smooth width_ms=120",))


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
    ears = [_Ear(project, levels, track, beats, channel) for track, channel in heard]
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


def _voices(ears: Sequence[_Ear], rows: int) -> list[Voice | None]:
    """Give a voice a role, in the order of the roles, where there is one."""
    bands = [ear.bands() for ear in ears]
    sparkle = _clearest((ear.sparkle() for ear in ears), ())
    pulses = [ear.pulse(own) for ear, own in zip(ears, bands, strict=True)]
    even = [voice for voice in pulses if voice is not None and come_evenly(voice.hits)]
    pulse = _clearest(even or pulses, [sparkle])
    bed = _clearest((ear.bed() for ear in ears), [sparkle, pulse])
    taken = [voice for voice in (pulse, bed, sparkle) if voice is not None]
    every = [option for own in bands for option in own]
    tone = _tone([*every, *(ear.brightness() for ear in ears)], taken)
    loudest = _loudest(every, [*taken, tone])
    plain = _clearest((ear.plain() for ear in ears), [*taken, tone, loudest])
    return [pulse, bed, sparkle, tone, loudest, ears[0].rows(rows), plain]


def come_evenly(hits: npt.NDArray[np.int64]) -> bool:
    """Say whether most distances of hits, in frames, are multiples of a short one: whatever the beats are."""
    apart = np.diff(hits)
    if len(apart) < 4:
        return False
    short = float(np.percentile(apart, 25))
    off = np.abs(apart - np.maximum(1.0, np.round(apart / short)) * short)
    return float(np.mean(off <= max(1.0, 0.12 * short))) > 0.6


def _tracks(taken: Iterable[Voice | None]) -> set[str | None]:
    return {voice.envelope.track for voice in taken if voice is not None}


def _clearest(voices: Iterable[Voice | None], taken: Iterable[Voice | None]) -> Voice | None:
    """Give the clearest; those of tracks that are taken count for less."""
    used, heard = _tracks(taken), [voice for voice in voices if voice is not None]
    return max(heard, key=lambda one: one.clear * (_AGAIN if one.envelope.track in used else 1.0), default=None)


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


@dataclass(frozen=True)
class _Ear:
    """Listens to one track."""

    project: Project
    levels: Levels
    track: Track
    beats: Beats
    channel: Channel = Channel.MID

    def _read(self, name: str, reading: str, *clean_up: str) -> Envelope:
        """Write an envelope of the track's channel down."""
        return envelope_of(self.track, name, reading=f"{reading} channel={self.channel}", clean_up=clean_up)

    def _level(self, envelope: Envelope) -> FloatArray:
        level = self.levels.cleaned(self.project, envelope)
        return np.asarray(level.max(axis=0)) if level.ndim > 1 else level

    def bands(self) -> list[tuple[Envelope, FloatArray]]:
        """Give the bands that move most independently, with their levels."""
        track = self.track
        whole, _ = read = spectra(self.channel)
        stored = self.levels.feature(self.project, track, whole)
        bands = suggest_bands(stored, whole.edges_hz(track.info.sample_rate_hz))
        envelopes = []
        for band in bands:
            low, high = round(band.low_hz), round(min(band.high_hz, track.info.sample_rate_hz / 2))
            for window in ("auto", "balanced"):  # what is read of every track is enough for one of them
                reading = f"band low_hz={low} high_hz={high} window={window}"
                envelope = self._read(f"Band {low}-{high} Hz", reading, *_FAST)
                if set(read).issuperset(needs(envelope.reading, track.info)):
                    envelopes.append(envelope)
                    break
        return [(envelope, self._level(envelope)) for envelope in envelopes]

    def _hits(self, low_hz: float, high_hz: float) -> FloatArray:
        reading = f"hits low_hz={low_hz:g} high_hz={high_hz:g}"
        return self._level(envelope_of(self.track, "Hits", reading=reading))

    def _on_beat(self, frames: Iterable[int]) -> int:
        if len(self.beats.times_s) < 2:
            return 0
        times, beats = (np.fromiter(frames, dtype=np.float64) + 0.5) / self.project.rate.per_second, self.beats.times_s
        after = np.clip(np.searchsorted(beats, times), 1, len(beats) - 1)
        near = np.minimum(np.abs(times - beats[after - 1]), np.abs(times - beats[after]))
        return int(np.count_nonzero(near <= NEAR_S + 0.5 / self.project.rate.per_second))

    def pulse(self, bands: list[tuple[Envelope, FloatArray]]) -> Voice | None:
        """Give the band whose hits are clearest over what lies between them, and nearest the beat."""
        seconds = self.project.n_frames / self.project.rate.per_second
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
                best = Voice(Role.PULSE, envelope, level, clear, words, at)
        return best

    def bed(self) -> Voice | None:
        """Give loudness as it comes and goes over seconds, where it ranges over 6 dB or more."""
        envelope = self._read("Slow loudness", "amplitude", "smooth width_ms=1500")
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
        clean_up = ("rise_and_fall rise_ms=0 fall_ms=260",)
        envelope = envelope_of(self.track, "High hits", reading=reading, clean_up=clean_up)
        at = np.flatnonzero(self._hits(_SPARKLE_HZ, min(20_000.0, top)))
        if len(at) < 0.4 * self.project.n_frames / self.project.rate.per_second:
            return None
        level = self._level(envelope)
        beat = self._on_beat(at)
        words = f"{len(at)} hits above 3 kHz" + (f", {beat} on the beat" if beat else "")
        return Voice(Role.SPARKLE, envelope, level, min(1.0, float(np.percentile(level, 90))), words, at)

    def brightness(self) -> tuple[Envelope, FloatArray]:
        """Give how bright it is, and its level."""
        envelope = self._read("Brightness", "brightness", "smooth width_ms=400")
        return envelope, self._level(envelope)

    def plain(self) -> Voice:
        """Give loudness itself: there is always that."""
        envelope = self._read("Loudness", "amplitude", "smooth width_ms=600")
        words = "has no hits and no swells: only how loud it is counts"
        return Voice(Role.PLAIN, envelope, self._level(envelope), 0.4, words)

    def rows(self, count: int) -> Voice | None:
        """Give a bank of as many bands as there are things alike."""
        if count < 2:
            return None
        envelope = bank_of(self.track, count, channel=self.channel)
        level = self._level(envelope)
        words = f"from 40 Hz to {_kilo(envelope)}, a row of the bank each"
        return Voice(Role.ROWS, envelope, level, min(1.0, range_db(level) / 15.0), words)


def _kilo(envelope: Envelope) -> str:
    return f"{envelope.reading.params.model_dump()['high_hz'] / 1000:g} kHz"

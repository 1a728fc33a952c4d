"""Listens to one track: what in it could move something, and how that is read."""

from __future__ import annotations

import zlib
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.naming import fresh_id
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.units import from_db, to_db
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.bands import suggest_bands
from fern_tide.core.envelope.beat_grid import are_on_beats
from fern_tide.core.envelope.beats import NEAR_S, Beats
from fern_tide.core.envelope.envelope import CleanUpChoice, Envelope, ReadingChoice, needs
from fern_tide.core.first_cut.sound import SILENT_DB, Levels, Role, Voice, range_db
from fern_tide.core.sound.channels import Channel
from fern_tide.core.sound.features import SpectrumFeature
from fern_tide.core.sound.spectrum import Part, Window

MOST_ROWS = 24
_SPARKLE_HZ = 3000.0
_LEAST_RANGE_DB = 6.0  # of a bed that is worth following
_PULSE_A_SECOND = (0.15, 5.0)
_HEARD_DB = 30.0  # below what is loud in a track: as much of it is heard
_LEAST_TURN = 0.03  # of brightness that is worth following: a third of an octave
_LEAST_FRAMES = 8
_ATTACK = 4  # frames in which a hit is at its loudest
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


@dataclass(frozen=True)
class Ear:
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

    def _on_beat(self, frames: npt.NDArray[np.intp]) -> int:
        if len(self.beats.times_s) < 2:
            return 0
        times = (np.asarray(frames, dtype=np.float64) + 0.5) / self.project.rate.per_second
        return int(np.count_nonzero(are_on_beats(times, self.beats.times_s, within_s=self._near_s)))

    @property
    def _near_s(self) -> float:
        """How near a frame is to a beat that it is on, in seconds."""
        return NEAR_S + 0.5 / self.project.rate.per_second

    def pulse(self, bands: list[tuple[Envelope, FloatArray]]) -> Voice | None:
        """Give the band whose hits are clearest over what lies between them, and nearest the beat."""
        seconds = self.project.n_frames / self.project.rate.per_second
        best: Voice | None = None
        for envelope, level in bands:
            params = envelope.reading.params.model_dump()
            at = np.flatnonzero(self._hits(params["low_hz"], params["high_hz"]))
            if not _PULSE_A_SECOND[0] <= len(at) / seconds <= _PULSE_A_SECOND[1]:
                continue
            tops = [float(level[frame : frame + _ATTACK].max()) for frame in at]
            over = float(to_db(float(np.median(tops))) - to_db(max(float(np.percentile(level, 25)), from_db(-80.0))))
            beat = self._on_beat(at)
            clear = min(1.0, max(0.0, over) / 30.0) * (0.7 + 0.3 * beat / len(at))
            words = f"{len(at)} hits, {over:.0f} dB over what lies between"
            words += f", {beat} of them on the beat" if beat else ""
            if best is None or clear > best.clear:
                best = Voice(Role.PULSE, envelope, level, clear, words, at)
        return best

    def drumming(self, pulse: Voice) -> float:
        """Give how good a pulse is beside those of other tracks, 0 to 1: its silences make any stem clear.

        That is how clear it is, how much of its level a hit brings at once (a drum nearly all of it, a chord that
        swells hardly any), and how many more of its hits are on the beat than by chance.
        """
        level, at = pulse.level, pulse.hits
        rises = [level[k : k + _ATTACK].max() - level[max(0, k - _ATTACK + 1) : k + 1].min() for k in at]
        steep = min(1.0, float(np.median(rises)) / max(float(np.percentile(level, 95)), from_db(-80.0)))
        chance = min(0.99, 2 * self._near_s * self.beats.bpm / 60.0)
        on_beat = max(0.0, self._on_beat(at) / len(at) - chance) / (1 - chance)
        return pulse.clear * steep * (0.4 + 0.6 * on_beat)

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

    def glittering(self, sparkle: Voice) -> float:
        """Give how good a sparkle is beside those of other tracks, 0 to 1: by how much of the track is above 3 kHz."""
        top = min(20_000, self.track.info.sample_rate_hz // 2)
        highs = self._level(self._read("Highs", f"band low_hz={_SPARKLE_HZ:g} high_hz={top} window=balanced"))
        whole = self._level(self._read("Whole", "amplitude"))
        loud = max(float(np.percentile(whole, 95)), from_db(-80.0))
        return sparkle.clear * min(1.0, float(np.percentile(highs, 95)) / loud)

    def brightness(self) -> tuple[Envelope, FloatArray] | None:
        """Give how bright it is, and its level, where it becomes brighter and darker while it sounds."""
        envelope = self._read("Brightness", "brightness", "smooth width_ms=400")
        each, whole = self._level(self._read("Brightness", "brightness")), self._level(self._read("Whole", "amplitude"))
        sounds = whole >= max(from_db(SILENT_DB), from_db(-_HEARD_DB) * float(np.percentile(whole, 95)))
        if np.count_nonzero(sounds) < _LEAST_FRAMES:
            return None
        low, high = np.percentile(each[sounds], [10, 90])
        return (envelope, self._level(envelope)) if high - low >= _LEAST_TURN else None

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

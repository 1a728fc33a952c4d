"""What can be read out of sound files with no data folder: figures, levels, hits and beats."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, BinaryIO

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.beats import Beats, rhythm
from fern_tide.core.envelope.envelope import CleanUpChoice, Envelope, ReadingChoice, clean, needs, read_raw
from fern_tide.core.envelope.hits import Hits
from fern_tide.core.envelope.readings.hits import HitsParams, hits_of
from fern_tide.core.scene.scene import Scene
from fern_tide.core.sound.decode import SoundInfo, blocks, measure
from fern_tide.core.sound.features import Feature, PowerFeature, RisesFeature, analyze
from fern_tide.core.sound.whole import figures
from fern_tide.workflows.bring_in_sound import fresh_id, name_of
from fern_tide.workflows.source import ProjectSource


class FileLevels:
    """Levels of a project whose media are opened as they are asked for; every feature is read once.

    Args:
        project: the document.
        open_media: opens a media file by its hash.
    """

    def __init__(self, project: Project, open_media: Callable[[str], BinaryIO]) -> None:
        self._project, self._open = project, open_media
        self._features: dict[tuple[str, Feature], Float32Array] = {}
        self._levels: dict[str, FloatArray] = {}

    def cleaned(self, envelope: Envelope) -> FloatArray:
        """Give an envelope's cleaned level, shape (frames,), or (rows, frames) for a bank."""
        if envelope.id not in self._levels:
            of_track = envelope.track is not None and envelope.reading.spec.of_track
            track = self._project.track(str(envelope.track)) if of_track else None
            if track is not None:
                self._read(track, needs(envelope.reading, track.info))
            raw = read_raw(envelope.reading, self.source(track))
            raw = raw if track is None or track.drives else raw * 0.0
            self._levels[envelope.id] = clean(raw, envelope.clean_up, rate=self._project.rate)
        return self._levels[envelope.id]

    def rhythm(self, track: Track) -> tuple[Hits, Beats]:
        """Give a track's hits and beats."""
        self._read(track, (RisesFeature(), PowerFeature()))
        rises, power = self._feature(track, RisesFeature()), self._feature(track, PowerFeature())
        return rhythm(rises, power, sample_rate_hz=track.info.sample_rate_hz)

    def source(self, track: Track | None) -> ProjectSource:
        """Give what a reading of a track reads from."""
        return ProjectSource(
            self._project,
            track,
            feature=self._feature,
            rhythm=self.rhythm,
            level=self.cleaned,
            media=self._bytes,
        )

    def _bytes(self, digest: str) -> bytes:
        with self._open(digest) as stream:
            return stream.read()

    def _feature(self, track: Track, feature: Feature) -> Float32Array:
        self._read(track, (feature,))
        return self._features[track.id, feature]

    def _read(self, track: Track, features: Sequence[Feature]) -> None:
        missing = [feature for feature in features if (track.id, feature) not in self._features]
        if not missing:
            return
        with self._open(track.media) as stream:
            found = analyze(stream, track.info, grid=track.grid(self._project.rate), features=missing)
        self._features.update({(track.id, feature): values for feature, values in found.items()})


def track_of(sound: Path) -> Track:
    """Measure a sound file and give it as a track."""
    with sound.open("rb") as stream:
        info = measure(stream)
        stream.seek(0)
        digest = hashlib.file_digest(stream, "sha256").hexdigest()
    name = name_of(sound.name)
    return Track(id=fresh_id(name, among=()), name=name, media=digest, info=info)


def envelope_of(track: Track, reading: str, clean_up: Sequence[str]) -> Envelope:
    """Make an envelope of a track out of text."""
    return Envelope(
        id=track.id,
        name=track.name,
        track=track.id,
        reading=ReadingChoice.parse(reading),
        clean_up=tuple(CleanUpChoice.parse(text) for text in clean_up),
    )


def _alone(sound: Path, track: Track, rate: FrameRate, *envelopes: Envelope) -> FileLevels:
    project = Project(name=track.name, rate=rate, tracks=(track,), envelopes=envelopes, scene=Scene(name="None"))
    return FileLevels(project, lambda digest: sound.open("rb"))


def read_level(
    sound: Path, *, rate: str, reading: str, clean_up: Sequence[str]
) -> tuple[FrameRate, FloatArray, tuple[str, ...]]:
    """Read and clean a level, as text names it.

    Returns:
        The rate; the level, shape (frames,), or (rows, frames) for a bank; and the names of its rows.
    """
    frame_rate = FrameRate.parse(rate)
    track = track_of(sound)
    envelope = envelope_of(track, reading, clean_up)
    return frame_rate, _alone(sound, track, frame_rate, envelope).cleaned(envelope), envelope.rows


def file_hits(sound: Path, *, options: HitsParams) -> Hits:
    """Find the hits of a sound file."""
    track = track_of(sound)
    return hits_of(options, _alone(sound, track, _ANY_RATE).source(track))


def file_beats(sound: Path) -> Beats:
    """Find the beats of a sound file."""
    track = track_of(sound)
    return _alone(sound, track, _ANY_RATE).rhythm(track)[1]


_ANY_RATE = FrameRate.parse("30")  # hits and beats know no frames


def describe(sound: Path, *, rate: str) -> dict[str, Any]:
    """Measure a sound and say what it holds, as plain data."""
    frame_rate = FrameRate.parse(rate)
    track = track_of(sound)
    info: SoundInfo = track.info
    with sound.open("rb") as stream:
        found = figures(blocks(stream), sample_rate_hz=info.sample_rate_hz)
    beats = file_beats(sound)
    return {
        "format": info.format,
        "encoding": info.encoding,
        "channels": info.channels,
        "sample_rate": info.sample_rate_hz,
        "duration_s": float(info.duration),
        "samples": info.n_samples,
        "note": info.note,
        "loudness_lufs": _rounded(found.loudness_lufs),
        "true_peak_dbtp": _rounded(found.true_peak_db),
        "peak_dbfs": _rounded(found.peak_db),
        "tempo_bpm": _rounded(beats.bpm) if len(beats.times_s) else None,
        "rate": str(frame_rate),
        "frames": frame_rate.n_frames(info.n_samples, sample_rate_hz=info.sample_rate_hz),
    }


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 2)

"""The levels of a project whose sounds are files, with no data folder."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import BinaryIO

from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.beats import Beats, rhythm
from fern_tide.core.envelope.envelope import CleanUpChoice, Envelope, ReadingChoice, clean, needs, read_raw
from fern_tide.core.envelope.hits import Hits
from fern_tide.core.sound.decode import measure
from fern_tide.core.sound.features import AttacksFeature, Feature, RisesFeature, analyze
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
        self._read(track, (RisesFeature(), AttacksFeature()))
        rises, attacks = self._feature(track, RisesFeature()), self._feature(track, AttacksFeature())
        return rhythm(rises, attacks, sample_rate_hz=track.info.sample_rate_hz)

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

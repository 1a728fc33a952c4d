"""What the levels of a project are made of when its sounds are files, with no data folder."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from typing import BinaryIO

from fern_tide.core.base.naming import fresh_id, name_of
from fern_tide.core.base.signal import Float32Array
from fern_tide.core.derivation.media_nodes import PlacedSound
from fern_tide.core.derivation.node import Kind, Node, below
from fern_tide.core.document import Track
from fern_tide.core.envelope.beats import Beats
from fern_tide.core.envelope.envelope import CleanUpChoice, Envelope, ReadingChoice
from fern_tide.core.envelope.hits import Hits
from fern_tide.core.sound.decode import measure
from fern_tide.core.sound.features import Feature, analyze


class FileSources:
    """Features of files that are opened as they are asked for; every feature is read once.

    Args:
        open_media: opens a media file by its hash.
    """

    def __init__(self, open_media: Callable[[str], BinaryIO]) -> None:
        self._open = open_media
        self._features: dict[str, Float32Array] = {}
        self._rhythms: dict[str, tuple[Hits, Beats]] = {}

    def read(self, nodes: Iterable[Node]) -> None:
        """Read the features that nodes are made of and that are not read yet, those of one sound in one pass."""
        missing: dict[tuple[str, str, int], list[tuple[Node, Feature, PlacedSound]]] = {}
        for node in below(nodes):
            if node.kind is Kind.FEATURE and node.subject is not None and node.fingerprint not in self._features:
                feature, sound = node.subject
                missing.setdefault((sound.media, str(sound.rate), sound.offset_samples), []).append(
                    (node, feature, sound)
                )
        for wanted in missing.values():
            sound = wanted[0][2]
            with self._open(sound.media) as stream:
                arrays = analyze(stream, sound.info, grid=sound.grid, features=[item[1] for item in wanted])
            self._features.update({node.fingerprint: arrays[feature] for node, feature, _ in wanted})

    def stored(self, key: str) -> bool:
        """Say that everything can be given at once: it is read when it is asked for."""
        return True

    def feature(self, node: Node) -> Float32Array:
        """Give a feature."""
        self.read([node])
        return self._features[node.fingerprint]

    def rhythm(self, node: Node) -> tuple[Hits, Beats]:
        """Give a file's hits and beats, in seconds of it."""
        if node.fingerprint not in self._rhythms:
            self._rhythms[node.fingerprint] = node.work([self.feature(item) for item in node.inputs], self)
        return self._rhythms[node.fingerprint]

    def file(self, media: str) -> bytes:
        """Give a file by its hash."""
        with self._open(media) as stream:
            return stream.read()


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

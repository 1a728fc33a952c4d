"""Nodes of envelopes: what a reading gives, the level after its clean-up, and how often it is how high."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.derivation.node import Kind, Node, Sources, new_node
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.beats import Beats
from fern_tide.core.envelope.envelope import Envelope, clean, read_raw, row_of
from fern_tide.core.envelope.hit_edits import EditedHits
from fern_tide.core.envelope.notes import Notes, read_notes
from fern_tide.core.envelope.points import read_points
from fern_tide.core.envelope.takes import Take, read_take
from fern_tide.core.mapping.marks import Scale, histogram
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import Feature


@dataclass(frozen=True)
class InputsOfReading:
    """The nodes that a reading is made of.

    Attributes:
        features: of its track, by what it asks for.
        levels: of the envelopes that it uses, by id.
        beats: the project's beat grid, where it asks for it.
        media: the files that it reads itself, by hash.
    """

    features: Mapping[Feature, Node]
    levels: Mapping[str, Node]
    beats: Node | None
    media: Mapping[str, Node]

    @property
    def nodes(self) -> tuple[Node, ...]:
        """All of them, in the order in which GivenSource takes their values."""
        grid = () if self.beats is None else (self.beats,)
        return (*self.features.values(), *self.levels.values(), *grid, *self.media.values())


class GivenSource:
    """What a reading reads from: the values of the nodes that it said it is made of, and nothing else.

    Args:
        project: its rate and length.
        track: what is read; None for a reading of no track.
        inputs: the reading's own.
        values: theirs, in the order of inputs.nodes.
        sources: gives files.
    """

    def __init__(
        self, project: Project, track: Track | None, inputs: InputsOfReading, values: Sequence[Any], sources: Sources
    ) -> None:
        self.rate: FrameRate = project.rate
        self.n_frames = project.n_frames
        self._track, self._sources = track, sources
        n, m = len(inputs.features), len(inputs.levels)
        self._features = dict(zip(inputs.features, values[:n], strict=True))
        self._levels = dict(zip(inputs.levels, values[n : n + m], strict=True))
        self._beats: Beats | None = values[n + m] if inputs.beats is not None else None

    @property
    def _own(self) -> Track:
        if self._track is None:
            raise RuntimeError("a reading of no track asked for one")
        return self._track

    @property
    def info(self) -> SoundInfo:
        """The track's sound as measured."""
        return self._own.info

    @property
    def offset_s(self) -> float:
        """When the track begins, in seconds of the project."""
        return float(self._own.offset)

    def get(self, feature: Feature) -> Float32Array:
        """Give a feature's array, one of those that the reading's spec says it needs."""
        return np.asarray(self._features[feature], dtype=np.float32)

    def beats(self) -> Beats:
        """Give the project's beat grid."""
        if self._beats is None:
            raise RuntimeError("a reading that is not on beats asked for them")
        return self._beats

    def level(self, envelope_id: str) -> FloatArray:
        """Give another envelope's cleaned level, one of those that the reading's spec says it uses."""
        return np.asarray(self._levels[envelope_id])

    def points(self, media: str) -> FloatArray:
        """Give an imported curve."""
        return read_points(self._sources.file(media))

    def notes(self, media: str) -> Notes:
        """Give what an imported MIDI file plays."""
        return read_notes(self._sources.file(media))

    def take(self, media: str) -> Take:
        """Give what was performed."""
        return read_take(self._sources.file(media))


def reading_node(project: Project, envelope: Envelope, track: Track | None, *, inputs: InputsOfReading) -> Node:
    """Give the node of an envelope's level before clean-up; the level of a track that does not drive is silence."""
    choice = envelope.reading
    facts: dict[str, Any] = {
        "reading": choice.model_dump(mode="json", exclude={"on"}),
        "version": choice.spec.version,
        "rate": str(project.rate),
        "n_frames": project.n_frames,
    }
    if track is not None:
        facts |= {"drives": track.drives, "offset": str(track.offset)}

    def work(values: list[Any], sources: Sources) -> FloatArray:
        raw = read_raw(choice, GivenSource(project, track, inputs, values, sources))
        return raw if track is None or track.drives else np.zeros_like(raw)

    return new_node(Kind.READING, envelope.id, name=envelope.name, inputs=inputs.nodes, facts=facts, work=work)


def hits_node(
    project: Project, envelope: Envelope, track: Track | None, *, inputs: InputsOfReading, reading: Node
) -> Node:
    """Give the node of the hits that an envelope is made of, as EditedHits or None.

    Args:
        project: its rate and length.
        envelope: whose.
        track: what it is read from; None for a reading of no track.
        inputs: what its reading is made of.
        reading: the node of its level before clean-up, which depends on the same facts.
    """
    choice = envelope.reading

    def work(values: list[Any], sources: Sources) -> EditedHits | None:
        hits: EditedHits | None = choice.spec.hits(choice.params, GivenSource(project, track, inputs, values, sources))
        return hits

    return new_node(Kind.HITS, envelope.id, name=envelope.name, inputs=inputs.nodes, facts=reading.facts, work=work)


def level_node(project: Project, envelope: Envelope, reading: Node) -> Node:
    """Give the node of an envelope's level after clean-up, shape (frames,), or (rows, frames) for a bank."""
    working = tuple(choice for choice in envelope.clean_up if choice.on)
    facts = {
        "clean_up": [choice.model_dump(mode="json") for choice in working],
        "versions": [choice.spec.version for choice in working],
        "rate": str(project.rate),
    }

    def work(values: list[FloatArray], sources: Sources) -> FloatArray:
        return clean(values[0], working, rate=project.rate)

    return new_node(Kind.LEVEL, envelope.id, name=envelope.name, inputs=(reading,), facts=facts, work=work)


def histogram_node(level: Node, *, scale: Scale, row: int) -> Node:
    """Give the node of how often a level, or a row of it, is how high: counts, then both ends of their axis."""

    def work(values: list[FloatArray], sources: Sources) -> FloatArray:
        counts, low, high = histogram(row_of(values[0], row), scale=scale)
        return np.concatenate([counts, [low, high]])

    facts = {"scale": str(scale), "row": row}
    return new_node(Kind.HISTOGRAM, level.id, name=level.name, inputs=(level,), facts=facts, work=work)

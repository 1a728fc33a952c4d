"""The values of a document's derivation graph in the studio: what is stored, what is remembered, what is worked out."""

from __future__ import annotations

from collections import Counter, OrderedDict
from collections.abc import Callable, Iterable
from copy import copy
from threading import Lock
from typing import Any

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.reached import moved_with
from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.derivation.evaluate import Sized, evaluate
from fern_tide.core.derivation.graph import Graph
from fern_tide.core.derivation.node import Kind, Node, NotReadYet, Sources
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.beats import Beats
from fern_tide.core.envelope.envelope import Envelope, followed_level
from fern_tide.core.envelope.hit_edits import EditedHits, edited
from fern_tide.core.envelope.hits import Hits
from fern_tide.core.mapping.mapping import Mapping, followed
from fern_tide.core.mapping.marks import Scale
from fern_tide.core.mapping.step import StepContext
from fern_tide.core.sound.features import Feature

REMEMBERED_BYTES = 384 << 20  # 200 mappings of a 5-minute song at 60 fps
_GRAPHS = 24


class Memory:
    """Values by fingerprint, as many as there is room for; what was not asked for the longest goes first."""

    def __init__(self, most_bytes: int) -> None:
        self._most, self._bytes = most_bytes, 0
        self._values: OrderedDict[str, Sized] = OrderedDict()
        self._lock = Lock()
        self.worked = Counter[Kind]()

    def get(self, key: str) -> Sized | None:
        """Give what is remembered, or None."""
        with self._lock:
            value = self._values.get(key)
            if value is not None:
                self._values.move_to_end(key)
            return value

    def put(self, node: Node, values: Sized) -> None:
        """Remember a value that was worked out, and count it."""
        with self._lock:
            self.worked[node.kind] += 1
            before = self._values.pop(node.fingerprint, None)
            self._values[node.fingerprint] = values
            self._bytes += values.nbytes - (before.nbytes if before is not None else 0)
            while self._bytes > self._most and len(self._values) > 1:
                self._bytes -= self._values.popitem(last=False)[1].nbytes


class Graphs:
    """The graphs of the documents that were looked at last; a new one takes over what it shares with one of them."""

    def __init__(self) -> None:
        self._latest: OrderedDict[tuple[int, bool], Graph] = OrderedDict()
        self._lock = Lock()

    def of(self, project: Project, *, rough: bool, stored: Callable[[str], bool]) -> Graph:
        """Give a document's graph; see Graph for `stored`."""
        key = (id(project), rough)
        with self._lock:
            known = self._latest.get(key)
            if known is not None and known.project is project and not any(map(stored, known.missing)):
                self._latest.move_to_end(key)
                return known
            like = max(self._latest.values(), key=lambda graph: _shared(graph.project, project), default=None)
        graph = Graph(project, like=like, stored=stored if rough else None)
        with self._lock:
            self._latest[key] = graph
            while len(self._latest) > _GRAPHS:
                self._latest.popitem(last=False)
        return graph


def _shared(one: Project, other: Project) -> int:
    """Count the parts at the head of two documents that are the very same."""
    pairs = zip(
        (*one.tracks, *one.envelopes, *one.mappings), (*other.tracks, *other.envelopes, *other.mappings), strict=False
    )
    return sum(a is b for a, b in pairs) + (one.scene is other.scene)


class Levels:
    """Gives levels, lifts and curves of documents, working out only what is neither stored nor remembered.

    Args:
        sources: give features, hits and beats, and files.
        most_bytes: how much is remembered.
    """

    def __init__(self, sources: Sources, *, most_bytes: int = REMEMBERED_BYTES) -> None:
        self._sources = sources
        self._memory, self._graphs = Memory(most_bytes), Graphs()
        self._rough = False

    @property
    def worked(self) -> Counter[Kind]:
        """How many values of each kind were worked out rather than remembered."""
        return self._memory.worked

    @property
    def under_the_hand(self) -> Levels:
        """The same levels, for what is tried but not stored: a narrow band is read roughly where it is not read yet."""
        rough = copy(self)
        rough._rough = True
        return rough

    def graph(self, project: Project) -> Graph:
        """Give the derivation graph of a document."""
        return self._graphs.of(project, rough=self._rough, stored=self._sources.stored)

    def value(self, node: Node) -> Any:
        """Give a node's value.

        Raises:
            NotReadYet: features that it is made of are still being read.
        """
        return evaluate(node, sources=self._sources, memory=self._memory)

    def feature(self, project: Project, track: Track, feature: Feature) -> Float32Array:
        """Give a feature of a track; see core/sound/features.py for the shapes.

        Raises:
            NotReadYet: it is still being read; so of every method here.
        """
        return np.asarray(self.value(self.graph(project).feature(track, feature)))

    def raw(self, project: Project, envelope: Envelope) -> FloatArray:
        """Give an envelope's level before clean-up, (frames,) or (rows, frames)."""
        return np.asarray(self.value(self.graph(project).reading(envelope)))

    def hits(self, project: Project, envelope: Envelope) -> EditedHits | None:
        """Give the hits that an envelope is made of; None where it is made of none."""
        hits: EditedHits | None = self.value(self.graph(project).hits(envelope))
        return hits

    def cleaned(self, project: Project, envelope: Envelope) -> FloatArray:
        """Give an envelope's level after clean-up, shape (frames,), or (rows, frames) for a bank."""
        return np.asarray(self.value(self.graph(project).level(envelope)))

    def track_hits(self, project: Project, track: Track) -> EditedHits:
        """Give a track's hits with those that are edited by hand, in seconds of the project."""
        hits, _ = self.value(self.graph(project).heard_rhythm(track))
        return edited(hits, track.hit_edits, later_s=float(track.offset))

    def rhythm(self, project: Project, track: Track) -> tuple[Hits, Beats]:
        """Give a track's hits, as they are edited by hand, and its beats, in seconds of the track."""
        hits, beats = self.value(self.graph(project).rhythm(track))
        return hits, beats

    def beats(self, project: Project) -> Beats:
        """Give the project's beat grid."""
        beats: Beats = self.value(self.graph(project).beats)
        return beats

    def followed(self, project: Project, mapping: Mapping) -> FloatArray:
        """Give the level that a mapping follows, shape (frames,): a row of its envelope's, or the highest of all."""
        level = self.cleaned(project, project.envelope(mapping.envelope))
        return followed_level(level, row=mapping.row, spread=mapping.spread)

    def lift(self, project: Project, mapping: Mapping) -> FloatArray:
        """Give a mapping's lift after its steps, shape (frames,), or (rows, frames) where it is spread over a bank."""
        return np.asarray(self.value(self.graph(project).lift(mapping)))

    def ingredients(self, project: Project, mapping: Mapping) -> tuple[FloatArray, StepContext]:
        """Give what a mapping's lift is made of: its level, (rows, frames) where spread, and what its steps know."""
        level, context = (self.value(node) for node in self.graph(project).lift(mapping).inputs)
        return followed(level, mapping), context

    def ready(self, project: Project, mapping: Mapping) -> bool:
        """Say whether a mapping's lift can be worked out now; where not, its analysis is asked for."""
        try:
            self.lift(project, mapping)
        except NotReadYet:
            return False
        return True

    def histogram(
        self, project: Project, envelope: Envelope, *, scale: Scale, row: int = 0
    ) -> tuple[FloatArray, float, float]:
        """Give how often an envelope's cleaned level, or a row of it, is how high; see core/mapping/marks.py."""
        *counts, low, high = self.value(self.graph(project).histogram(envelope, scale=scale, row=row))
        return np.asarray(counts), float(low), float(high)

    def curves(self, project: Project, targets: Iterable[Target] | None = None) -> tuple[Curve, ...]:
        """Give the curves of some properties and of all that follow them, in the scene's order; None is all driven."""
        graph = self.graph(project)
        wanted = graph.drivers if targets is None else moved_with(project.scene, project.mappings, targets)
        nodes = {target: node for target, node in graph.curves.items() if target in wanted}
        return tuple(graph.stacks[target].curve(self.value(node)) for target, node in nodes.items())

"""The derivation graph of a document, from its files to its curves: nodes by fingerprint, each made once."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Mapping
from dataclasses import replace
from functools import cached_property, partial
from operator import is_
from types import MappingProxyType
from typing import Any

from fern_tide.core.bake.bake import Drivers, Stack, driven, stacks_in_order
from fern_tide.core.bake.reached import moved_with
from fern_tide.core.bake.touch_up import TouchUp
from fern_tide.core.base.order import in_order
from fern_tide.core.base.target import Target
from fern_tide.core.derivation import envelope_nodes, media_nodes, touch_nodes
from fern_tide.core.derivation.curve_nodes import curve_node
from fern_tide.core.derivation.mapping_nodes import context_node, lift_node
from fern_tide.core.derivation.node import Kind, Node, below
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.envelope import Envelope, needs
from fern_tide.core.mapping.mapping import Mapping as MappingModel
from fern_tide.core.mapping.marks import Scale
from fern_tide.core.sound.features import BandsFeature, Feature

Entry = tuple[tuple[Any, ...], Node]


class Graph:
    """What everything in a document is made of; nodes are made as they are asked for, each once.

    Args:
        project: the document.
        like: the graph of a document that shares most of its parts: nodes made of the very same parts are taken over.
        stored: says whether a fingerprint's value is stored: then bands whose own reading is not are cut out of a
            spectrum that is, for what is under the hand. None makes nothing roughly.
    """

    def __init__(
        self, project: Project, *, like: Graph | None = None, stored: Callable[[str], bool] | None = None
    ) -> None:
        self.project = project
        self._stored = stored
        self._nodes: dict[Hashable, Entry] = {}
        self._before: dict[Hashable, Entry] = {} if like is None else like._nodes
        self._like: Graph | None = like  # at most one is kept: the latest whose curves are known
        if like is not None and "curves" not in like.__dict__:
            self._like = like._like
        self._clock = (str(project.rate), project.n_frames)
        if like is not None and like._clock == self._clock:
            self._clock = like._clock  # the very same object, as parts of the document are
        self.stacks: dict[Target, Stack] = {}
        """What gives each property its values, of those whose nodes were asked for."""
        self.missing: set[str] = set()
        """The fingerprints of what is read roughly for now."""

    def _node(self, key: Hashable, of: tuple[Any, ...], make: Callable[[], Node]) -> Node:
        """Give the node that is made of some parts of the document, those before being the very same ones or not."""
        for known in (self._nodes, self._before):
            entry = known.get(key)
            if entry is not None and len(entry[0]) == len(of) and all(map(is_, entry[0], of)):
                self._nodes[key] = entry
                return entry[1]
        node = make()
        old = self._before.get(key)
        if old is not None and old[1].fingerprint == node.fingerprint and old[1].name == node.name:
            node = old[1]  # so that what is made of it is known to be the same too
        self._nodes[key] = (of, node)
        return node

    def media(self, track: Track) -> Node:
        """Give the node of a track's file."""
        return self._node(("media", track.id), (track,), lambda: media_nodes.media_node(track.media, name=track.name))

    def feature(self, track: Track, feature: Feature) -> Node:
        """Give the node of a feature of a track, whose fingerprint it is stored under."""
        file = self.media(track)
        make = partial(media_nodes.feature_node, feature, self.placed(track), name=track.name, media=file)
        return self._node((Kind.FEATURE, track.id, feature), (track, self._clock, file), make)

    def rhythm(self, track: Track) -> Node:
        """Give the node of a track's hits, as they are edited by hand, and its beats."""
        heard, key = self.heard_rhythm(track), (Kind.RHYTHM, track.id, "edited")
        make = partial(media_nodes.edited_rhythm_node, heard, track.hit_edits)
        return self._node(key, (track, heard), make) if track.hit_edits else heard

    def heard_rhythm(self, track: Track) -> Node:
        """Give the node of a track's hits and beats as its file has them, under whose fingerprint they are stored."""
        make = partial(media_nodes.rhythm_node, self.placed(track), name=track.name, media=(file := self.media(track)))
        return self._node((Kind.RHYTHM, track.id), (track, file), make)

    def placed(self, track: Track) -> media_nodes.PlacedSound:
        """Give a track's sound, and how the project's frames lie over it."""
        return media_nodes.PlacedSound(track.media, track.info, self.project.rate, track.offset_samples)

    @property
    def beats(self) -> Node:
        """The project's beat grid."""
        project = self.project
        track = project.beat_track if project.beat.needs_track else None
        rhythm = None if track is None else self.heard_rhythm(track)
        of = (project.beat, track, self._clock, rhythm)
        return self._node(Kind.BEATS, of, lambda: media_nodes.beats_node(project, rhythm, track))

    def reading(self, envelope: Envelope) -> Node:
        """Give the node of an envelope's level before clean-up."""
        return self.level(envelope).inputs[0]

    def hits(self, envelope: Envelope) -> Node:
        """Give the node of the hits that an envelope is made of."""
        reading, track = self.reading(envelope), self._track(envelope)
        inputs = self._inputs(envelope, track)
        return envelope_nodes.hits_node(self.project, envelope, track, inputs=inputs, reading=reading)

    def level(self, envelope: Envelope) -> Node:
        """Give the node of an envelope's level after clean-up."""
        if self._is_made(envelope):
            return self._nodes[Kind.LEVEL, envelope.id][1]

        def uses(name: str) -> tuple[str, ...]:
            own = envelope if name == envelope.id else self._of(name)
            return () if self._is_made(own) else own.uses

        for name in in_order([envelope.id], inputs=uses)[:-1]:
            self._level(self._of(name))
        return self._level(envelope)

    def _is_made(self, envelope: Envelope) -> bool:
        """Say whether an envelope's level, and so all that it is made of, has its node already."""
        entry = self._nodes.get((Kind.LEVEL, envelope.id))
        return entry is not None and entry[0][0] is envelope

    def _of(self, name: str) -> Envelope:
        return self.project.envelope(name)

    def _level(self, envelope: Envelope) -> Node:
        """Make a level whose inputs are made."""
        track = self._track(envelope)
        inputs = self._inputs(envelope, track)
        of = (envelope, track, self._clock, inputs.beats, *inputs.features.values(), *inputs.levels.values())

        def make() -> Node:
            reading = envelope_nodes.reading_node(self.project, envelope, track, inputs=inputs)
            return envelope_nodes.level_node(self.project, envelope, reading)

        return self._node((Kind.LEVEL, envelope.id), of, make)

    def _inputs(self, envelope: Envelope, track: Track | None) -> envelope_nodes.InputsOfReading:
        """Give what a reading is made of, once the levels that it uses are made."""
        reading = envelope.reading
        return envelope_nodes.InputsOfReading(
            features={item: self._read(track, item) for item in needs(reading, track.info)} if track else {},
            levels={name: self._nodes[Kind.LEVEL, name][1] for name in envelope.uses},
            beats=self.beats if reading.spec.on_beats(reading.params) else None,
            media={digest: media_nodes.media_node(digest) for digest in reading.spec.media(reading.params)},
        )

    def _track(self, envelope: Envelope) -> Track | None:
        if envelope.track is None or not envelope.reading.spec.of_track:
            return None
        return self.project.track(envelope.track)

    def _read(self, track: Track, feature: Feature) -> Node:
        """Give the node of a feature, or of what stands for it while it is not read yet."""
        node = self.feature(track, feature)
        if self._stored is None or not isinstance(feature, BandsFeature) or self._stored(node.fingerprint):
            return node
        spectrum = self.feature(track, media_nodes.spectrum_of(feature))
        if not self._stored(spectrum.fingerprint):
            return node
        self.missing.add(node.fingerprint)
        edges_hz = media_nodes.spectrum_of(feature).edges_hz(track.info.sample_rate_hz)
        make = partial(media_nodes.rough_node, node, spectrum, edges_hz=edges_hz)
        return self._node(("rough", node.id, track.id), (node, spectrum), make)

    def histogram(self, envelope: Envelope, *, scale: Scale, row: int) -> Node:
        """Give the node of how often an envelope's level, or a row of it, is how high."""
        level = self.level(envelope)
        key = (Kind.HISTOGRAM, envelope.id, scale, row)
        return self._node(key, (level,), lambda: envelope_nodes.histogram_node(level, scale=scale, row=row))

    def lift(self, mapping: MappingModel) -> Node:
        """Give the node of a mapping's lift after its steps; its inputs are its level and what its steps know."""
        key = (Kind.LIFT, mapping.id)
        entry = self._nodes.get(key)
        if entry is not None and entry[0][0] is mapping:
            return entry[1]
        envelope = self._of(mapping.envelope)
        level = self.level(envelope)
        working = [choice for choice in mapping.steps if choice.on]
        uses = dict.fromkeys(name for choice in working for name in choice.spec.uses(choice.params))
        joined = tuple(self.level(self._of(name)) for name in uses)
        hits, track = self._hits_of_steps(envelope) if mapping.needs_hits else (None, None)
        beats = self.beats if mapping.needs_beats else None
        markers = self.project.markers if mapping.needs_markers else ()
        of = (mapping, level, track, hits, beats, self._clock, *joined, *markers)

        def make() -> Node:
            context = context_node(self.project, mapping, joined=joined, hits=hits, beats=beats, track=track)
            return lift_node(mapping, level, context)

        return self._node(key, of, make)

    def _hits_of_steps(self, envelope: Envelope) -> tuple[Node | None, Track | None]:
        """Give the hits that steps go by: an envelope's own, or those of a track, its own or the beats', and that."""
        if envelope.reading.spec.own_hits(envelope.reading.params):
            return self.hits(envelope), None
        track = self.project.beat_track if envelope.track is None else self.project.track(envelope.track)
        return (None if track is None else self.rhythm(track)), track

    @cached_property
    def drivers(self) -> dict[Target, Drivers]:
        """What drives each property, in stacking order."""
        return driven(self.project.scene, self.project.mappings, also=self.touch_ups)

    @cached_property
    def touch_ups(self) -> dict[Target, list[TouchUp]]:
        """The touch-ups that are laid over each property, in their order."""
        return touch_nodes.laid_touch_ups(self.project)

    def touching(self, touch_up: TouchUp) -> touch_nodes.Touching:
        """Give what a touch-up is laid by."""
        track = touch_nodes.tied_track(self.project, touch_up)
        return touch_nodes.touching_of(self.project, touch_up, rhythm=None if track is None else self.rhythm(track))

    @cached_property
    def curves(self) -> dict[Target, Node]:
        """The nodes of every driven property, in the scene's order."""
        like, self._like = self._like, None
        old: dict[Target, Node] = {} if like is None else like.__dict__.get("curves", {})
        touched = None if like is None or not old else self._touched(like)
        if like is None or touched is None:
            nodes = self.curves_of(self.drivers)
            return {target: nodes[target] for target in self.drivers}
        self.stacks = {**like.stacks, **self.stacks}
        nodes = {**old, **self.curves_of([target for target in touched if target in self.drivers], known=old)}
        return {target: nodes[target] for target in self.drivers}

    def _touched(self, like: Graph) -> set[Target] | None:
        """List the properties that may move otherwise than in a graph of the same scene; None where all may."""
        was, now = like.project, self.project
        ids = [[mapping.id for mapping in project.mappings] for project in (was, now)]
        if was.scene is not now.scene or like._clock is not self._clock or ids[0] != ids[1]:
            return None
        both = zip(was.mappings, now.mappings, strict=True)
        pairs = [pair for pair in both if pair[0] is not pair[1] or like.lift(pair[0]) is not self.lift(pair[1])]
        driven_by = [drive.target for pair in pairs for mapping in pair for drive in mapping.drives]
        touched = touch_nodes.touched_otherwise(like.touch_ups, self.touch_ups)
        return moved_with(now.scene, now.mappings, [*driven_by, *touched])

    def curves_of(
        self, targets: Iterable[Target], *, known: Mapping[Target, Node] = MappingProxyType({})
    ) -> dict[Target, Node]:
        """Give the nodes of some properties, and of those that they are made of; a still property has one too.

        Args:
            targets: the properties.
            known: nodes of some that they may be made of, and that are none of them.
        """
        scene, nodes = self.project.scene, dict[Target, Node]()
        for stack in stacks_in_order(scene, self.drivers, targets, known=known):
            self.stacks[stack.target] = stack
            sources = tuple(nodes.get(name) or known[name] for name in stack.sources)
            lifts = tuple(self.lift(mapping) for mapping, _ in stack.drivers)
            parts = (part for pair in stack.drivers for part in pair)
            of = (stack.part, stack.limit, self._clock, *stack.made_of, *sources, *lifts, *parts)
            ups = self.touch_ups.get(stack.target, [])
            under = None
            if not (ups and ups[0].replaces_all):
                kind, bare = (Kind.STACK, replace(stack, limit=None)) if ups else (Kind.CURVE, stack)
                make = partial(curve_node, bare, lifts, sources, n_frames=self._clock[1], kind=kind)
                under = nodes[stack.target] = self._node((kind, stack.target), of, make)
            if ups:
                nodes[stack.target] = self._touched_node(stack, under, sources[: len(stack.rest_sources)], ups)
        return nodes

    def _touched_node(self, stack: Stack, under: Node | None, sources: tuple[Node, ...], ups: list[TouchUp]) -> Node:
        touchings = tuple(map(self.touching, ups))
        make = partial(
            touch_nodes.touched_node, stack, under, sources if under else (), touchings=touchings, project=self.project
        )
        moments = (item for one in touchings for item in one.moments)
        of = (stack.part, stack.limit, self._clock, under, *sources, *ups, *moments)
        return self._node((Kind.CURVE, stack.target, "touched"), of, make)

    @cached_property
    def _features(self) -> dict[str, list[Feature]]:
        """The features of every file that all of the document's envelopes and mappings need."""
        features: dict[str, list[Feature]] = {}
        read = filter(None, (self.touching(one).rhythm for ups in self.touch_ups.values() for one in ups))
        for node in below([*map(self.level, self.project.envelopes), *map(self.lift, self.project.mappings), *read]):
            if node.kind is Kind.FEATURE and node.subject is not None:
                feature, sound = node.subject
                features.setdefault(sound.media, []).append(feature)
        return features

    def features(self, track: Track) -> list[Feature]:
        """List the features of a track that all of the document's envelopes and mappings need."""
        return self._features.get(track.media, [])

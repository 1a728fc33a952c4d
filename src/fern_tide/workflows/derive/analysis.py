"""Analysis of tracks: which features are needed, which are stored, and the work that reads the missing ones."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from contextlib import AbstractContextManager

import numpy as np
from pydantic import TypeAdapter

from fern_tide.core.base.errors import Cancelled
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.signal import Float32Array, FloatArray, fingerprint
from fern_tide.core.derivation.graph import Graph
from fern_tide.core.derivation.media_nodes import RHYTHM_FEATURES, PlacedSound, feature_node, rhythm_node
from fern_tide.core.derivation.node import Node, NotReadYet
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.beats import NO_BEATS, Beats
from fern_tide.core.envelope.envelope import needs
from fern_tide.core.envelope.hits import Hits
from fern_tide.core.first_cut.ear import bank_of
from fern_tide.core.sound.band_features import spectra_of_bands
from fern_tide.core.sound.channels import Channel
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import (
    AttacksFeature,
    Feature,
    LevelsFeature,
    RisesFeature,
    SpectrumFeature,
    WaveformFeature,
    analyze,
)
from fern_tide.core.sound.levels import Detector
from fern_tide.core.sound.spectrum import Part, Window
from fern_tide.store.job_rows import CANCELLED, FAILED, Job
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.studio import Studio

KIND = "analyze"
USUAL: tuple[Feature, ...] = (
    WaveformFeature(),
    RisesFeature(),
    AttacksFeature(),
    LevelsFeature(channel=Channel.MID, detector=Detector.RMS),
    SpectrumFeature(channel=Channel.MID, window=Window.BALANCED),
    SpectrumFeature(channel=Channel.MID, window=Window.FINE, part=Part.LOWS),
)
Stretch = AbstractContextManager[Callable[[float, str], None]]
"""A block of computation that may be stopped anywhere; it gives what says how far it is."""
_FEATURES: TypeAdapter[list[Feature]] = TypeAdapter(list[Feature])
_LONG_S = 20 * 60
_TOLD_EVERY_S = 0.2
_LET_GO_EVERY = 16  # chunks: what is written meanwhile fills a page of the disk in each row
_READ = 0.92  # the share of the work that reading the sound is; the rest finds hits and beats


class NotAnalyzedYet(NotReadYet):
    """A level was asked for whose features are still being read; the jobs are named."""

    def __init__(self, jobs: list[Job]) -> None:
        super().__init__("The sound is still being analyzed.", remedy="This takes a moment.")
        self.jobs = jobs


class StudioSources:
    """What levels are made of, from the studio's stores; what is not there yet is asked for.

    Args:
        studio: whose stores.
    """

    def __init__(self, studio: Studio) -> None:
        self._studio = studio

    def stored(self, key: str) -> bool:
        """Say whether a feature, or a file's hits and beats, can be given at once."""
        return self._studio.derived.has(key)

    def feature(self, node: Node) -> Float32Array:
        """Give a feature, or raise NotAnalyzedYet after asking for it."""
        stored = self._studio.derived.get(node.fingerprint)
        if stored is None:
            feature, sound = node.subject
            raise NotAnalyzedYet([request(self._studio, sound, name=node.name, features=[feature])])
        return np.asarray(stored, dtype=np.float32)

    def rhythm(self, node: Node) -> tuple[Hits, Beats]:
        """Give a file's hits and beats, in seconds of it, or raise NotAnalyzedYet after asking for them."""
        stored = self._studio.derived.get(node.fingerprint)
        if stored is None:
            raise NotAnalyzedYet([request(self._studio, node.subject, name=node.name, features=RHYTHM_FEATURES)])
        return unpack_rhythm(np.asarray(stored, dtype=np.float64))

    def file(self, media: str) -> bytes:
        """Give a file by its hash."""
        return self._studio.media.read(media)


def pack_rhythm(hits: Hits, beats: Beats) -> FloatArray:
    """Give hits and beats as one array to be stored."""
    head = [len(hits), len(beats.times_s), beats.bpm, float(beats.steady), beats.per_bar, beats.first_bar]
    return np.concatenate([head, hits.times_s, hits.strengths, beats.times_s])


def unpack_rhythm(packed: FloatArray) -> tuple[Hits, Beats]:
    """Give hits and beats as pack_rhythm packed them."""
    n_hits, n_beats = int(packed[0]), int(packed[1])
    times, strengths = packed[6 : 6 + n_hits], packed[6 + n_hits : 6 + 2 * n_hits]
    beat_times = packed[6 + 2 * n_hits : 6 + 2 * n_hits + n_beats]
    beats = (
        Beats(beat_times, float(packed[2]), bool(packed[3]), int(packed[4]), int(packed[5])) if n_beats else NO_BEATS
    )
    return Hits(times, strengths), beats


def levels_of(studio: Studio) -> Levels:
    """Give the levels of a studio's projects."""
    return Levels(StudioSources(studio))


def features_read(graph: Graph, track: Track) -> list[Feature]:
    """List what a document reads from a track: the usual features, and what envelopes and steps need or may need."""
    wanted: list[Feature] = [*USUAL, *graph.features(track)]
    for envelope in graph.project.envelopes:
        if envelope.track == track.id:
            wanted += envelope.reading.spec.ahead(envelope.reading.params)
    cut = graph.project.first_cut
    if cut is not None and cut.waits and cut.rows and track == graph.project.beat_track:
        wanted += needs(bank_of(track, cut.rows).reading, track.info)
    return list(dict.fromkeys(wanted))


def _missing(studio: Studio, graph: Graph, track: Track, features: Iterable[Feature]) -> list[Feature]:
    there = studio.derived.has
    return [item for item in features if not there(graph.feature(track, item).fingerprint)]


def ensure(studio: Studio, project: Project, *, again: bool = False) -> list[Job]:
    """Ask for every feature that a project needs and that is not stored; gives the jobs, one a track.

    Work that was cancelled or failed is only begun anew when asked for again.
    """
    jobs, graph = [], Graph(project)
    for track in project.tracks:
        missing = _missing(studio, graph, track, features_read(graph, track))
        if missing or not studio.derived.has(graph.heard_rhythm(track).fingerprint):
            jobs.append(request(studio, graph.placed(track), name=track.name, features=missing, again=again))
    return jobs


def read_ahead(studio: Studio, project: Project, track: Track) -> None:
    """Ask for the spectra that bands may soon be drawn on, where a track is not long; nobody waits for them."""
    if track.info.duration > _LONG_S:
        return
    graph = Graph(project)
    missing = _missing(studio, graph, track, spectra_of_bands(Channel.MID))
    if missing and not ensure(studio, project):
        request(studio, graph.placed(track), name=track.name, features=missing)


def request(studio: Studio, sound: PlacedSound, *, name: str, features: Iterable[Feature], again: bool = False) -> Job:
    """Queue the reading of features, unless the same work is under way, or was stopped and is not asked for again."""
    payload = {
        "name": name,
        "media": sound.media,
        "info": sound.info.model_dump(mode="json"),
        "rate": str(sound.rate),
        "offset_samples": sound.offset_samples,
        "features": _FEATURES.dump_python(list(features), mode="json"),
    }
    key = fingerprint({name: value for name, value in payload.items() if name != "name"})
    stopped = None if again else studio.jobs.latest(key)
    if stopped is not None and stopped.state in {FAILED, CANCELLED}:
        return stopped
    job, is_new = studio.jobs.start(KIND, key=key, payload=payload)
    if is_new:
        studio.enqueue(job)
    return job


def run(
    studio: Studio,
    job: Job,
    *,
    report: Callable[[float, str], bool],
    stretch: Callable[[], Stretch],
) -> None:
    """Read and store the features of a job.

    Args:
        studio: for its media and derived stores.
        job: its payload as made by request.
        report: called with the share done and words; False cancels.
        stretch: a block of computation that may be stopped anywhere.

    Raises:
        Cancelled: report said False.
        UnreadableSound: the file breaks off.
    """
    plan = job.payload
    info, rate = SoundInfo.model_validate(plan["info"]), FrameRate.parse(plan["rate"])
    sound = PlacedSound(plan["media"], info, rate, plan["offset_samples"])
    features = _FEATURES.validate_python(plan["features"])
    last, chunks = 0.0, 0
    with studio.media.open(plan["media"]) as stream, studio.derived.growing() as growing:

        def progress(share: float) -> bool:
            nonlocal last, chunks
            chunks += 1
            if chunks % _LET_GO_EVERY == 0:
                growing.let_go()
            now = time.monotonic()
            if now - last < _TOLD_EVERY_S:
                return True
            last = now
            return report(share * _READ, f"{plan['name']}: reading levels and spectra")

        def allocate(feature: Feature, shape: tuple[int, ...]) -> Float32Array:
            return growing.array(feature_node(feature, sound).fingerprint, shape)

        report(0.0, f"{plan['name']}: reading levels and spectra")
        if features:
            analyze(stream, info, grid=sound.grid, features=features, progress=progress, allocate=allocate)
    if not report(_READ, f"{plan['name']}: finding hits and beats"):
        raise Cancelled
    _find_rhythm(studio, sound, stretch())


def _find_rhythm(studio: Studio, sound: PlacedSound, stretch: Stretch) -> None:
    """Find and store the hits and beats of a sound whose rises and attacks are stored."""
    node = rhythm_node(sound)
    stored = [studio.derived.get(item.fingerprint) for item in node.inputs]
    if stored[0] is None or stored[1] is None or studio.derived.has(node.fingerprint):
        return
    with stretch:
        packed = pack_rhythm(*node.work(stored, StudioSources(studio)))
    studio.derived.put(node.fingerprint, packed)

"""Where readings read from, in a project of the studio; and what is found in a track once and kept."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.signal import Float32Array, FloatArray, fingerprint
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.beat_grid import beat_grid
from fern_tide.core.envelope.beats import NO_BEATS, Beats
from fern_tide.core.envelope.envelope import Envelope
from fern_tide.core.envelope.hits import Hits
from fern_tide.core.envelope.points import read_points
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.step import StepContext
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import VERSION as FEATURES_VERSION
from fern_tide.core.sound.features import Feature

BEATS_VERSION = 2


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


def rhythm_key(media: str) -> str:
    """Give the fingerprint of a sound's hits and beats."""
    return fingerprint({"stage": "rhythm", "version": [BEATS_VERSION, FEATURES_VERSION], "media": media})


class ProjectSource:
    """A track's features and the project around it, as a reading sees them.

    Args:
        project: the document.
        track: what is read; None for a reading of no track.
        feature: gives a feature of a track.
        rhythm: gives a track's hits and beats.
        level: gives the cleaned level of another envelope.
        media: gives a media file's bytes by its hash.
    """

    def __init__(
        self,
        project: Project,
        track: Track | None,
        *,
        feature: Callable[[Track, Feature], Float32Array],
        rhythm: Callable[[Track], tuple[Hits, Beats]],
        level: Callable[[Envelope], FloatArray],
        media: Callable[[str], bytes],
    ) -> None:
        self._project, self._track = project, track
        self._feature, self._rhythm, self._level, self._media = feature, rhythm, level, media

    @property
    def rate(self) -> FrameRate:
        """The project's frame rate."""
        return self._project.rate

    @property
    def n_frames(self) -> int:
        """The project's length."""
        return self._project.n_frames

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
        """Give a feature's array."""
        return self._feature(self._own, feature)

    def beats(self) -> Beats:
        """Give the project's beat grid."""
        return project_beats(self._project, self._rhythm)

    def level(self, envelope_id: str) -> FloatArray:
        """Give another envelope's cleaned level."""
        return self._level(self._project.envelope(envelope_id))

    def points(self, media: str) -> FloatArray:
        """Give an imported curve."""
        return read_points(self._media(media))


def project_beats(project: Project, rhythm: Callable[[Track], tuple[Hits, Beats]]) -> Beats:
    """Give the project's beat grid, as it is found and corrected."""
    track, found, offset_s = project.beat_track, NO_BEATS, 0.0
    if track is not None and project.beat.bpm is None:
        found, offset_s = rhythm(track)[1], float(track.offset)
    duration_s = project.rate.duration_s(project.n_frames)
    return beat_grid(project.beat, found, offset_s=offset_s, duration_s=duration_s)


def hit_track(project: Project, mapping: Mapping) -> Track | None:
    """Give the track whose hits a mapping's steps go by: its envelope's, or the one whose beats are found."""
    envelope = project.envelope(mapping.envelope)
    return project.beat_track if envelope.track is None else project.track(envelope.track)


def step_context(
    project: Project,
    mapping: Mapping,
    *,
    rhythm: Callable[[Track], tuple[Hits, Beats]],
    level: Callable[[Envelope], FloatArray],
) -> StepContext:
    """Give what a mapping's steps may know: hits, beats and other levels only where one of them asks for them."""
    context = StepContext(
        rate=project.rate,
        seed=mapping.seed,
        levels={name: _highest(level(project.envelope(name))) for name in mapping.uses},
    )
    if mapping.needs_beats:
        context = replace(context, beat_times_s=project_beats(project, rhythm).times_s)
    if mapping.needs_markers:
        times = np.array([marker.time_s for marker in project.markers])
        context = replace(context, marker_frames=project.rate.frames_of_times(times))
    track = hit_track(project, mapping) if mapping.needs_hits else None
    if track is None:
        return context
    hits = rhythm(track)[0]
    frames = project.rate.frames_of_times(hits.times_s + float(track.offset))
    return replace(context, hit_frames=frames, hit_strengths=hits.strengths)


def _highest(level: FloatArray) -> FloatArray:
    return level if level.ndim == 1 else np.asarray(level.max(axis=0))


def hits_made_of(project: Project, mapping: Mapping) -> Any:
    """Give what a mapping's hits, beats and markers are made of, for fingerprints; None where no step asks."""
    track = hit_track(project, mapping) if mapping.needs_hits else None
    hits = None if track is None else [rhythm_key(track.media), str(track.offset)]
    if not mapping.needs_beats and not mapping.needs_markers:
        return hits
    markers = [marker.time_s for marker in project.markers] if mapping.needs_markers else None
    return [hits, beats_made_of(project) if mapping.needs_beats else None, markers]


def beats_made_of(project: Project) -> Any:
    """Give what the project's beats are made of, for fingerprints."""
    track = project.beat_track
    found = None if track is None or project.beat.bpm is not None else [rhythm_key(track.media), str(track.offset)]
    return {"beat": project.beat.model_dump(mode="json"), "found": found, "n_frames": project.n_frames}

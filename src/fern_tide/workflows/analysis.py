"""Analysis of tracks: which features are needed, which are stored, and the work that reads the missing ones."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from typing import Any

import numpy as np
from pydantic import TypeAdapter

from fern_tide.core.base.errors import Cancelled, FernTideError
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.signal import Float32Array, fingerprint
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.beats import Beats, rhythm
from fern_tide.core.envelope.envelope import needs
from fern_tide.core.envelope.hits import Hits
from fern_tide.core.sound.band_reading import band_power
from fern_tide.core.sound.channels import Channel
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import (
    VERSION,
    AttacksFeature,
    BandsFeature,
    Feature,
    LevelsFeature,
    OffGrid,
    RisesFeature,
    SpectrumFeature,
    WaveformFeature,
    analyze,
)
from fern_tide.core.sound.grid import FrameGrid
from fern_tide.core.sound.levels import Detector
from fern_tide.core.sound.spectrum import Part, Window
from fern_tide.store.job_rows import CANCELLED, FAILED, Job
from fern_tide.workflows.source import pack_rhythm, rhythm_key, unpack_rhythm
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
_BANDS = {"band", "bank"}  # readings whose window changes under the hand
_RHYTHM_OF: tuple[Feature, ...] = (RisesFeature(), AttacksFeature())
_ANY = FrameRate.parse("30")  # these features know no frames
_FEATURES: TypeAdapter[list[Feature]] = TypeAdapter(list[Feature])
_AHEAD = (Window.TIGHT, Window.BALANCED, Window.FINE)
_LONG_S = 20 * 60
_TOLD_EVERY_S = 0.2
_LET_GO_EVERY = 16  # chunks: what is written meanwhile fills a page of the disk in each row
_READ = 0.92  # the share of the work that reading the sound is; the rest finds hits and beats


class NotAnalyzedYet(FernTideError):
    """A level was asked for whose features are still being read; the jobs are named."""

    def __init__(self, jobs: list[Job]) -> None:
        super().__init__("The sound is still being analyzed.", remedy="This takes a moment.")
        self.jobs = jobs


def feature_key(feature: Feature, *, media: str, rate: FrameRate, offset_samples: int) -> str:
    """Give the fingerprint under which a feature is stored: the hash of exactly what determines it."""
    grid: dict[str, Any] = {} if isinstance(feature, OffGrid) else {"rate": str(rate), "offset": offset_samples}
    made_of = {"stage": "sound", "version": VERSION, "media": media, "feature": feature.model_dump(mode="json")}
    return fingerprint({**made_of, **grid})


class StoredFeatures:
    """A track's features from the store: what a reading reads from.

    Args:
        studio: whose store.
        track: whose features.
        rate: the project's frame rate.
        rough: while the hand moves a band, one that wants a reading of its own is read from a spectrum that is there.
    """

    def __init__(self, studio: Studio, track: Track, rate: FrameRate, *, rough: bool = False) -> None:
        self._studio, self._track, self._rate, self._rough = studio, track, rate, rough

    @property
    def info(self) -> SoundInfo:
        """The track's sound as measured."""
        return self._track.info

    def get(self, feature: Feature) -> Float32Array:
        """Give a feature, or raise NotAnalyzedYet after asking for it."""
        found = self._studio.derived.get(self.key(feature))
        if found is None and self._rough and isinstance(feature, BandsFeature):
            found = self._roughly(feature)
        if found is None:
            raise NotAnalyzedYet([request(self._studio, self._track, self._rate, features=[feature])])
        return np.asarray(found, dtype=np.float32)

    def _roughly(self, feature: BandsFeature) -> Float32Array | None:
        spectrum = SpectrumFeature(channel=feature.channel, window=feature.window)
        stored = self._studio.derived.get(self.key(spectrum))
        if stored is None:
            return None
        edges = spectrum.edges_hz(self.info.sample_rate_hz)
        power = band_power(np.asarray(stored), edges, cuts_hz=np.asarray(feature.cuts_hz))
        return np.asarray(power, dtype=np.float32)

    def key(self, feature: Feature) -> str:
        """Give the feature's fingerprint."""
        return track_feature_key(feature, self._track, self._rate)


def track_feature_key(feature: Feature, track: Track, rate: FrameRate) -> str:
    """Give the fingerprint of a track's feature."""
    return feature_key(feature, media=track.media, rate=rate, offset_samples=track.offset_samples)


def features_of(project: Project, track: Track) -> list[Feature]:
    """List what a project reads from a track: the usual features and what its envelopes need."""
    wanted: list[Feature] = list(USUAL)
    for envelope in project.envelopes:
        if envelope.track == track.id:
            wanted += needs(envelope.reading, track.info)
            if envelope.reading.id in _BANDS:  # the other windows too, so that an edge can be dragged anywhere
                channel = Channel(envelope.reading.params.model_dump()["channel"])
                wanted += [SpectrumFeature(channel=channel, window=window) for window in _AHEAD]
    return list(dict.fromkeys(wanted))


def ensure(studio: Studio, project: Project, *, again: bool = False) -> list[Job]:
    """Ask for every feature that a project needs and that is not stored; gives the jobs, one a track.

    Work that was cancelled or failed is only begun anew when asked for again.
    """
    jobs = []
    for track in project.tracks:
        missing = [
            feature
            for feature in features_of(project, track)
            if not studio.derived.has(track_feature_key(feature, track, project.rate))
        ]
        if missing or not studio.derived.has(rhythm_key(track.media)):
            jobs.append(request(studio, track, project.rate, features=missing, again=again))
    return jobs


def read_ahead(studio: Studio, project: Project, track: Track) -> None:
    """Ask for the spectra that bands may soon be drawn on, where a track is not long; nobody waits for them."""
    if track.info.duration > _LONG_S:
        return
    spectra = [SpectrumFeature(channel=Channel.MID, window=window) for window in _AHEAD]
    missing = [item for item in spectra if not studio.derived.has(track_feature_key(item, track, project.rate))]
    if missing and not ensure(studio, project):
        request(studio, track, project.rate, features=missing)


def request(studio: Studio, track: Track, rate: FrameRate, *, features: Iterable[Feature], again: bool = False) -> Job:
    """Queue the reading of features, unless the same work is under way, or was stopped and is not asked for again."""
    payload = {
        "name": track.name,
        "media": track.media,
        "info": track.info.model_dump(mode="json"),
        "rate": str(rate),
        "offset_samples": track.offset_samples,
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


def run(studio: Studio, job: Job, *, told: Callable[[float, str], bool]) -> None:
    """Read and store the features of a job.

    Args:
        studio: for its media and derived stores.
        job: its payload as made by request.
        told: called with the share done and words; False cancels.

    Raises:
        Cancelled: told said False.
        UnreadableSound: the file breaks off.
    """
    plan = job.payload
    info, rate = SoundInfo.model_validate(plan["info"]), FrameRate.parse(plan["rate"])
    grid = FrameGrid(rate, info.sample_rate_hz, info.n_samples, plan["offset_samples"])
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
            return told(share * _READ, f"{plan['name']}: reading levels and spectra")

        def allocate(feature: Feature, shape: tuple[int, ...]) -> Float32Array:
            key = feature_key(feature, media=plan["media"], rate=rate, offset_samples=plan["offset_samples"])
            return growing.array(key, shape)

        told(0.0, f"{plan['name']}: reading levels and spectra")
        if features:
            analyze(stream, info, grid=grid, features=features, progress=progress, allocate=allocate)
    if not told(_READ, f"{plan['name']}: finding hits and beats"):
        raise Cancelled
    _find_rhythm(studio, plan["media"], info)


def _find_rhythm(studio: Studio, media: str, info: SoundInfo) -> None:
    """Find and store the hits and beats of a sound whose rises and power are stored."""
    stored = [studio.derived.get(feature_key(item, media=media, rate=_ANY, offset_samples=0)) for item in _RHYTHM_OF]
    if stored[0] is None or stored[1] is None or studio.derived.has(rhythm_key(media)):
        return
    rises, attacks = (np.asarray(item, dtype=np.float32) for item in stored)
    hits, beats = rhythm(rises, attacks, sample_rate_hz=info.sample_rate_hz)
    studio.derived.put(rhythm_key(media), pack_rhythm(hits, beats))


def stored_rhythm(studio: Studio, track: Track, rate: FrameRate) -> tuple[Hits, Beats]:
    """Give a track's hits and beats from the store, in seconds of the track.

    Raises:
        NotAnalyzedYet: they are not there yet; they were asked for.
    """
    found = studio.derived.get(rhythm_key(track.media))
    if found is None:
        raise NotAnalyzedYet([request(studio, track, rate, features=_RHYTHM_OF)])
    return unpack_rhythm(np.asarray(found, dtype=np.float64))

"""What the Sound room shows beside its plots: tracks, beat, markers, and the shown envelope."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from collections.abc import Mapping as Named
from dataclasses import asdict, dataclass
from typing import Any

from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.bands import NAMED_BANDS, NamedBand
from fern_tide.core.envelope.beats import Beats
from fern_tide.core.envelope.envelope import READINGS, Envelope, reading_in_role
from fern_tide.core.envelope.reading import Reading
from fern_tide.core.envelope.readings.take import OF_HITS, TakeParams
from fern_tide.core.envelope.takes import TakeKind
from fern_tide.core.first_cut.beat_track import surest_beats
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.store.revision import Revision
from fern_tide.web.context import services
from fern_tide.workflows.bring_in import sounds
from fern_tide.workflows.derive.analysis import NotAnalyzedYet
from fern_tide.workflows.tune.calibrating import CLICKS_S


@dataclass(frozen=True)
class BandBox:
    """An envelope that is a box on a spectrogram: low and high in Hz."""

    id: str
    name: str
    track: str | None
    low: float
    high: float


@dataclass(frozen=True)
class TakesOf:
    """An envelope of takes: what was performed for it, and how many takes it has."""

    id: str
    name: str
    kind: str
    count: int


@dataclass(frozen=True)
class SoundRoomView:
    """What the Sound room shows beside its plots.

    Attributes:
        envelope: the shown envelope, others all but that one, drives the mappings that it drives.
        track: the shown track; offset_frames is how much later than the project it begins.
        bands: those that have names; box_reading is what reads one.
        bands_read: the envelopes that are boxes on a spectrogram.
        takes: the envelopes that are takes, as plain data; clicks the seconds at which those to calibrate with set in.
        beats: None while they are being looked for.
        surer: the track in which beats are clearly surer than where they are found, if any.
        users: for every track, the envelopes and mappings that depend on it.
    """

    revision: Revision
    envelope: Envelope | None
    track: Track | None
    bands: Sequence[NamedBand]
    box_reading: str
    bands_read: list[BandBox]
    takes: list[dict[str, Any]]
    clicks: Sequence[float]
    beats: Beats | None
    surer: Track | None
    offset_frames: float
    users: dict[str, tuple[tuple[Envelope, ...], tuple[Mapping, ...]]]
    others: list[Envelope]
    drives: list[Mapping]
    readings: Named[str, Reading]


def sound_room_view(revision: Revision, *, envelope_id: str | None, track_id: str | None) -> SoundRoomView:
    """Give what the Sound room shows of a revision: the named envelope and track, or those that are shown first."""
    project = revision.document
    envelope, track = sounds.shown_first(project, envelope_id, track_id)
    return SoundRoomView(
        revision=revision,
        envelope=envelope,
        track=track,
        bands=NAMED_BANDS,
        box_reading=reading_in_role("box").id,
        bands_read=_bands_read(project),
        takes=[asdict(item) for item in _takes(project)],
        clicks=CLICKS_S,
        beats=_beats(project),
        surer=_surer(project),
        offset_frames=float(track.offset * project.rate.fps) if track else 0.0,
        users={item.id: project.users(item.id) for item in project.tracks},
        others=[item for item in project.envelopes if envelope is None or item.id != envelope.id],
        drives=[item for item in project.mappings if envelope and item.envelope == envelope.id],
        readings=READINGS,
    )


def _bands_read(project: Project) -> list[BandBox]:
    boxes = [item for item in project.envelopes if item.reading.spec.role == "box"]
    edges = [item.reading.params.model_dump() for item in boxes]
    return [
        BandBox(item.id, item.name, item.track, low=params["low_hz"], high=params["high_hz"])
        for item, params in zip(boxes, edges, strict=True)
    ]


def _takes(project: Project) -> Iterator[TakesOf]:
    for item in project.envelopes:
        params = item.reading.params
        if isinstance(params, TakeParams):
            kind = TakeKind.TAPS if params.given in OF_HITS else TakeKind.GESTURE
            yield TakesOf(item.id, item.name, kind, len(params.takes))


def _surer(project: Project) -> Track | None:
    try:
        return surest_beats(project, services().levels)
    except NotAnalyzedYet:
        return None


def _beats(project: Project) -> Beats | None:
    try:
        return services().levels.beats(project)
    except NotAnalyzedYet:
        return None

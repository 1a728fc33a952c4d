"""A new mix under the same track: envelopes and mappings stay, and a report says what moved."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.errors import FernTideError, UnknownName
from fern_tide.core.base.params import FieldSpec, fields
from fern_tide.core.base.signal import extended
from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.commands.soundtrack import PutTrack
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import Envelope, ReadingChoice
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.store.revision import Revision
from fern_tide.workflows.bring_in.laying import lay
from fern_tide.workflows.bring_in.sounds import keep_curve, keep_sound
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.studio import Studio

_SAME = 1e-6  # of a curve's range
_SEEN = 0.02  # of it: what is told as a stretch
_GAP_FRAMES = 12
_COLUMNS = 96


@dataclass(frozen=True)
class Moved:
    """How much a curve differs between two states of a project.

    Attributes:
        target: the property, as text.
        name: what people call it.
        largest: the largest difference, as a share of the curve's range.
        mean: the mean difference, as a share of the range.
        at_frame: where it is largest.
        stretches: where it differs by more than a fiftieth of the range: first frame and the one after the last.
        drawn: the old and the new curve small, shape (2, 96), each from 0 to 1 of both their range.
        note: 'came in' or 'went' for a curve that only one of them has; else ''.
    """

    target: str
    name: str
    largest: float
    mean: float
    at_frame: int
    stretches: tuple[tuple[int, int], ...] = ()
    drawn: tuple[tuple[float, ...], ...] = ()
    note: str = ""


def swap(studio: Studio, key: str, chunks: Iterable[bytes], *, track_id: str, joined: int | None = None) -> Revision:
    """Put another sound file under a track, which begins when it did.

    Args:
        studio: where it is stored.
        key: of the project.
        chunks: the file's bytes.
        track_id: of the track.
        joined: the revision of what came just before in one go; see laying.py.

    Raises:
        UnknownName: there is no such track.
        UnreadableSound: the file is no sound that can be read; the track stays as it is.
    """
    studio.projects.head(key)[1].track(track_id)
    digest, info = keep_sound(studio, chunks)

    def with_file(project: Project) -> tuple[Project, str, None]:
        command = put_sound(project, track_id, media=digest, info=info)
        return command.apply(project), command.label(project), None

    revision, _ = lay(studio, key, with_file, joined=joined)
    analysis.ensure(studio, revision.document)
    return revision


def put_sound(project: Project, track_id: str, *, media: str, info: SoundInfo) -> PutTrack:
    """Give the edit that puts another sound under a track, which begins when it did, to the sample.

    Raises:
        UnknownName: there is no such track.
    """
    old = project.track(track_id)
    begins = round(old.offset * info.sample_rate_hz)
    return PutTrack(track=old.model_copy(update={"media": media, "info": info, "offset_samples": begins}))


def swap_curve(
    studio: Studio, key: str, chunks: Iterable[bytes], *, envelope_id: str, joined: int | None = None
) -> Revision:
    """Put another file under an envelope that reads one: a curve, or the notes of a MIDI file.

    Raises:
        UnknownName: there is no such envelope, or it reads no file.
        UnreadableCurve: the file holds no curve; the envelope stays as it is.
        UnreadableNotes: it is a MIDI file that cannot be read.
        FernTideError: it holds notes, and the envelope reads a curve, or the other way round.
    """
    studio.projects.head(key)[1].envelope(envelope_id)
    digest, kind = keep_curve(studio, chunks)

    def with_file(project: Project) -> tuple[Project, str, None]:
        command = put_curve(project, envelope_id, media=digest, kind=kind)
        return command.apply(project), f"Swap the file under {command.envelope.name}", None

    return lay(studio, key, with_file, joined=joined)[0]


def put_curve(project: Project, envelope_id: str, *, media: str, kind: str) -> PutEnvelope:
    """Give the edit that puts another file under an envelope that reads one.

    Args:
        project: the document.
        envelope_id: of the envelope.
        media: the file's hash.
        kind: 'file' for one with a curve, 'song' for a MIDI file.

    Raises:
        UnknownName: there is no such envelope, or it reads no file.
        FernTideError: it reads a file of the other kind.
    """
    envelope = project.envelope(envelope_id)
    wanted = file_field(envelope)
    if wanted is None:
        raise UnknownName(f"{envelope.name} reads no file.", remedy="Add the file as an envelope of its own.")
    if kind != wanted.kind:
        reads, has = ("a MIDI file", "a curve") if wanted.kind == "song" else ("a curve", "notes")
        raise FernTideError(
            f"{envelope.name} reads {reads}, and this file holds {has}.",
            remedy="Choose another file, or add this one as an envelope of its own.",
        )
    params = envelope.reading.params.but(**{wanted.name: media})
    return PutEnvelope(envelope=envelope.but(reading=ReadingChoice(id=envelope.reading.id, params=params)))


def file_field(envelope: Envelope) -> FieldSpec | None:
    """Give the param of an envelope's reading that is a file with a curve ('file'), or a MIDI file ('song'), if any."""
    return next((item for item in fields(envelope.reading.spec.params) if item.kind in {"file", "song"}), None)


def report(levels: Levels, before: Project, after: Project) -> list[Moved]:
    """Compare every curve of two states of a project, those that moved most first; unchanged ones are left out.

    Raises:
        NotAnalyzedYet: a track of one of them is still being read.
    """
    old = {str(curve.target): curve for curve in levels.curves(before)}
    new = {str(curve.target): curve for curve in levels.curves(after)}
    moves = [
        Moved(target, _name(curve), 1.0, 1.0, 0, note="went" if target in old else "came in")
        for target, curve in {**old, **new}.items()
        if (target in old) != (target in new)
    ]
    moves += [moved for target in old if target in new and (moved := _moved(old[target], new[target])).largest > _SAME]
    return sorted(moves, key=lambda moved: -moved.largest)


def _name(curve: Curve) -> str:
    return f"{curve.part_name}, {curve.label.lower()}"


def _moved(old: Curve, new: Curve) -> Moved:
    n = min(old.n_frames, new.n_frames)
    a, b = np.atleast_2d(old.values)[:, :n], np.atleast_2d(new.values)[:, :n]
    span = max(float(np.ptp(np.atleast_2d(curve.values), axis=1).max(initial=0.0)) for curve in (old, new)) or 1.0
    apart = np.abs(a - b).max(axis=0) / span if n else np.zeros(1)
    return Moved(
        str(new.target),
        _name(new),
        float(apart.max()),
        float(apart.mean()),
        int(apart.argmax()),
        stretches=_stretches(apart > _SEEN),
        drawn=_drawn(old, new),
    )


def _stretches(differs: npt.NDArray[np.bool_]) -> tuple[tuple[int, int], ...]:
    """Give where something holds, frame by frame; gaps of a few frames do not part two stretches."""
    at = np.flatnonzero(differs)
    if not len(at):
        return ()
    cuts = np.flatnonzero(np.diff(at) > _GAP_FRAMES)
    begins, ends = np.append(at[0], at[cuts + 1]), np.append(at[cuts], at[-1]) + 1
    return tuple(zip(begins.tolist(), ends.tolist(), strict=True))


def _drawn(old: Curve, new: Curve) -> tuple[tuple[float, ...], ...]:
    """Give both curves in few columns over the longer one's time; where one has ended it stays at its last value."""
    n = max(old.n_frames, new.n_frames)
    rows = [np.atleast_2d(curve.values).mean(axis=0) for curve in (old, new)]
    padded = np.stack([extended(row, after=n - len(row)) if len(row) else np.zeros(n) for row in rows])
    if n == 0:
        return ()
    low, high = float(padded.min()), float(padded.max())
    starts = np.unique(np.arange(_COLUMNS) * n // _COLUMNS)
    share = (np.maximum.reduceat(padded, starts, axis=1) - low) / ((high - low) or 1.0)
    return tuple(tuple(round(value, 4) for value in row) for row in share.tolist())

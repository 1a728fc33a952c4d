"""A sound file comes in: it is measured, kept whole or not at all, and its analysis begins."""

from __future__ import annotations

from collections.abc import Iterable

from fern_tide.core.base.naming import fresh_id, name_of
from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.commands.registry import Together
from fern_tide.core.commands.soundtrack import PutTrack
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope import notes
from fern_tide.core.envelope.envelope import Envelope, ReadingChoice, beginning, reading_in_role
from fern_tide.core.envelope.points import MOST_BYTES, read_points
from fern_tide.core.first_cut.scene import look
from fern_tide.core.scene.first_cut import FirstCut
from fern_tide.core.scene.media import load
from fern_tide.core.scene.scene import Scene
from fern_tide.core.sound.decode import SoundInfo, measure
from fern_tide.store.revision import Revision
from fern_tide.workflows.bring_in.laying import lay
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.derive.stages import Staged
from fern_tide.workflows.studio import Studio

_MOST_LOOKED_AT = 1500  # parts


def keep_sound(studio: Studio, chunks: Iterable[bytes]) -> tuple[str, SoundInfo]:
    """Take a sound file in and measure it; nothing stays behind when it cannot be read.

    Returns:
        Its hash and what it holds.

    Raises:
        UnreadableSound: it is no sound that can be read, or not what it claims.
        TooLarge: it has more bytes than are taken.
    """
    with studio.media.receive(chunks, most=studio.settings.most_upload_bytes) as (digest, content, keep):
        info = measure(content, limits=studio.settings.sound_limits)
        keep.append(True)
    return digest, info


def shown_first(
    project: Project, envelope_id: str | None, track_id: str | None
) -> tuple[Envelope | None, Track | None]:
    """Give the envelope and the track that are shown: those asked for, or the first, and the envelope's own track."""
    envelope = next((item for item in project.envelopes if item.id == envelope_id), None)
    envelope = envelope or next(iter(project.envelopes), None)
    wanted = track_id or (envelope.track if envelope else None)
    first = next((item for item in project.tracks if item.drives), next(iter(project.tracks), None))
    return envelope, next((item for item in project.tracks if item.id == wanted), first)


def start_project(studio: Studio, chunks: Iterable[bytes], *, file_name: str, scene: Scene, song: str = "") -> Revision:
    """Make a project of a sound file: its track, an envelope of it, on a scene, waiting for a first cut.

    Args:
        studio: where it is stored.
        chunks: the file's bytes.
        file_name: its name, which the track gets.
        scene: what is to be moved.
        song: what the project is called, where that is not the track's name.

    Raises:
        UnreadableSound: the file holds no sound; nothing stays behind.
    """
    digest, info = keep_sound(studio, chunks)
    name = name_of(file_name)
    called = name_of(f"{song}.") if song else name  # a dot: a song's name has no ending to lose
    empty = Project(name=called, scene=scene, first_cut=_waiting(studio, scene))
    project = _with_track(empty, digest, info, name).apply(empty)
    revision = studio.projects.create(project, label=f"Start with {name}")
    analysis.ensure(studio, project)
    return revision


def keep_curve(studio: Studio, chunks: Iterable[bytes]) -> tuple[str, str]:
    """Take a CSV or JSON file with a curve, or a MIDI file, in; nothing stays behind when it cannot be read.

    Returns:
        Its hash, and the kind of params that takes it: 'file' for a curve, 'song' for a MIDI file.

    Raises:
        UnreadableCurve: it holds no curve.
        UnreadableNotes: it is a MIDI file that cannot be read.
    """
    with studio.media.receive(chunks, most=MOST_BYTES) as (digest, content, keep):
        kind = curve_kind(content.read())
        keep.append(True)
    return digest, kind


def curve_kind(content: bytes) -> str:
    """Say which kind of params takes a file: 'file' one with a curve, as CSV or JSON, 'song' a MIDI file.

    Raises:
        UnreadableCurve: it holds no curve.
        UnreadableNotes: it is a MIDI file that cannot be read.
    """
    if content.startswith(notes.HEAD):
        notes.read_notes(content)
        return "song"
    read_points(content)
    return "file"


def add_curve(
    studio: Studio, key: str, chunks: Iterable[bytes], *, file_name: str, joined: int | None = None
) -> Revision:
    """Add a curve from a CSV or JSON file, or the notes of a MIDI file, as an envelope.

    Args:
        studio: where it is stored.
        key: of the project.
        chunks: the file's bytes.
        file_name: its name, which the envelope gets.
        joined: the revision of what came just before in one go; see laying.py.

    Raises:
        UnreadableCurve: the file holds none; nothing stays behind.
        UnreadableNotes: it is a MIDI file that cannot be read.
    """
    digest, kind = keep_curve(studio, chunks)
    name = name_of(file_name)
    reading = reading_in_role("notes" if kind == "song" else "file").id

    def with_envelope(project: Project) -> tuple[Project, str, None]:
        envelope = Envelope(
            id=fresh_id(name, among=project.envelopes),
            name=name,
            reading=ReadingChoice.model_validate({"id": reading, "params": {"media": digest}}),
            clean_up=beginning(reading),
        )
        command = PutEnvelope(envelope=envelope)
        return command.apply(project), command.label(project), None

    return lay(studio, key, with_envelope, joined=joined)[0]


def add_track(
    studio: Studio,
    key: str,
    chunks: Iterable[bytes],
    *,
    file_name: str,
    at_s: float = 0.0,
    joined: int | None = None,
) -> Revision:
    """Add a sound file to a project as a track with an envelope of it; with the first one it waits for a first cut.

    Args:
        studio: where it is stored.
        key: of the project.
        chunks: the file's bytes.
        file_name: its name, which the track gets.
        at_s: when it begins, in seconds of the project.
        joined: the revision of what came just before in one go; see laying.py.
    """
    digest, info = keep_sound(studio, chunks)

    def with_track(project: Project) -> tuple[Project, str, None]:
        command = _with_track(project, digest, info, name_of(file_name), at_s=at_s)
        document = command.apply(project)
        if not project.tracks and not project.mappings:
            document = document.but(first_cut=_waiting(studio, document.scene))
        return document, command.label(project), None

    revision, _ = lay(studio, key, with_track, joined=joined)
    analysis.ensure(studio, revision.document)
    return revision


def _waiting(studio: Studio, scene: Scene) -> FirstCut:
    """Give a first cut that waits for the sound, knowing what the scene will want of it where that is quick to see."""
    if len(scene.parts) > _MOST_LOOKED_AT:
        return FirstCut(waits=True)
    staged = Staged(scene, load(scene, studio.media.read))
    return FirstCut(waits=True, rows=look(scene, extents=staged.extents).rows)


def _with_track(project: Project, digest: str, info: SoundInfo, name: str, *, at_s: float = 0.0) -> Together:
    offset = round(at_s * info.sample_rate_hz)
    track = Track(id=fresh_id(name, among=project.tracks), name=name, media=digest, info=info, offset_samples=offset)
    first = reading_in_role("first").id
    envelope = Envelope(
        id=fresh_id(name, among=project.envelopes),
        name=name,
        track=track.id,
        reading=ReadingChoice(id=first),
        clean_up=beginning(first),
    )
    return Together(
        words=f"Add the track {name}"[:120], commands=(PutTrack(track=track), PutEnvelope(envelope=envelope))
    )

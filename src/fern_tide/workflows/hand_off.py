"""Hand-off: baked curves written in open formats, each read back; and project files in and out."""

from __future__ import annotations

import re
import tempfile
from collections.abc import Iterator
from typing import BinaryIO

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.errors import FernTideError, UnreadableSound
from fern_tide.core.document import Project
from fern_tide.core.envelope.points import MOST_BYTES, read_points
from fern_tide.core.formats.format import HandOff, Written, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.project_file import ProjectFileLimits, read_project_file, write_project_file
from fern_tide.core.sound.decode import SoundInfo, measure
from fern_tide.store.projects import Revision
from fern_tide.workflows import analysis
from fern_tide.workflows.studio import Studio


def file_stem(name: str) -> str:
    """Give a name as a file name that every system takes."""
    return re.sub(r"[^\w\-. ]+", "", name).strip(" .")[:80] or "project"


def write_format(project: Project, curves: tuple[Curve, ...], *, format_id: str) -> Written:
    """Write curves in a format and read them back.

    Raises:
        UnknownName: there is no such format.
        FernTideError: there is nothing to write.
        ReadBackFailed: what was written does not hold what was baked.
    """
    chosen = FORMATS[format_id]
    if not curves:
        raise FernTideError("There are no baked curves to write.", remedy="Bake first.")
    lengths = {curve.n_frames for curve in curves}
    if len(lengths) > 1:
        raise FernTideError("The curves were baked at different lengths.", remedy="Bake the changed curves first.")
    hand_off = HandOff(name=project.name, scene=project.scene, curves=curves, rate=project.rate, n_frames=lengths.pop())
    return write(hand_off, format=chosen)


def export_project(studio: Studio, project: Project) -> BinaryIO:
    """Write a project with its media into a temporary file, opened at its start."""
    out = tempfile.TemporaryFile()  # noqa: SIM115
    write_project_file(out, project, media=studio.media.open)
    out.seek(0)
    return out


def import_project(studio: Studio, stream: BinaryIO) -> Revision:
    """Read a project file and store it as a new project; nothing stays behind when it cannot be read.

    Raises:
        UnreadableProject: it is no project file, is damaged or hostile, or comes from a newer version.
        UnreadableSound: one of its sounds is none.
    """

    measured: dict[str, SoundInfo] = {}

    def keep(digest: str, chunks: Iterator[bytes]) -> None:
        with studio.media.receive(chunks, most=studio.settings.most_upload_bytes) as (found, content, kept):
            try:
                measured[digest] = measure(content, limits=studio.settings.sound_limits)
            except UnreadableSound:
                content.seek(0)  # a curve that was imported is no sound
                read_points(content.read(MOST_BYTES + 1))
            kept.append(found == digest)

    limits = ProjectFileLimits(media_bytes=studio.settings.most_upload_bytes)
    project = read_project_file(stream, keep=keep, limits=limits)
    for track in project.tracks:
        if track.media not in measured:
            raise UnreadableSound(f"The file of {track.name} is no sound.", remedy="Export the project again.")
    tracks = (track.model_copy(update={"info": measured[track.media]}) for track in project.tracks)
    project = project.but(tracks=tuple(tracks))  # what was measured, not what the document claims
    revision = studio.projects.create(project, label="Open a project file")
    analysis.ensure(studio, project)
    return revision

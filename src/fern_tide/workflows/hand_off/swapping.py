"""Newer files put into a project file: a mix that changed late, with what moved by it, as the command line does."""

from __future__ import annotations

import hashlib
import shutil
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from fern_tide.core.base.errors import FernTideError, UnknownName, about
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.envelope import Envelope
from fern_tide.core.sound.decode import measure
from fern_tide.workflows.bring_in.newer import Newer, newer
from fern_tide.workflows.bring_in.sounds import curve_kind
from fern_tide.workflows.bring_in.swap import Moved, file_field, put_curve, put_sound, report
from fern_tide.workflows.hand_off.opened import UnpackedFiles

_CURVES = {".mid", ".midi", ".csv", ".json"}


@dataclass(frozen=True)
class Swapped:
    """A project with newer files.

    Attributes:
        project: the document.
        newer: which file went under what.
        moved: the curves that differ, those that moved most first.
    """

    project: Project
    newer: tuple[Newer, ...]
    moved: tuple[Moved, ...]


def swap_files(files: UnpackedFiles, project: Project, given: Sequence[str]) -> Swapped:
    """Put files under the tracks, and the envelopes that read files, whose newer versions they are.

    Args:
        files: where the project was unpacked; those that are given lie there afterwards, too.
        project: the document.
        given: paths of files, which are told by their names, or 'NAME=PATH' with the name or id of a track or envelope.

    Raises:
        FernTideError: a file is no newer version of anything, or cannot be read.
        FileNotFoundError: it is not there.
    """
    after = project
    pairs = _pairs(project, given)
    for path, item in pairs:
        after = _with(files, after, path, item)
    files.sources.read(
        [curve for document in (project, after) for curve in files.levels.graph(document).curves.values()]
    )
    return Swapped(after, tuple(item for _, item in pairs), tuple(report(files.levels, project, after)))


def _pairs(project: Project, given: Sequence[str]) -> list[tuple[Path, Newer]]:
    named: list[tuple[Path, Newer]] = []
    bare: dict[str, Path] = {}
    for text in given:
        name, _, path = text.partition("=")
        file = Path(text)
        if path and not file.exists():
            named.append((Path(path), _named(project, name, file=path)))
        elif file.name in bare:
            raise FernTideError(f"Two files are called {file.name}.", remedy=f"Say which they are of: NAME={text}.")
        else:
            bare[file.name] = file
    curves = [name for name in bare if Path(name).suffix.lower() in _CURVES]
    sounds = [name for name in bare if name not in curves]
    fitting = {item.file: item for item in newer(project, sounds=sounds, curves=curves)}
    for name in bare:
        if name not in fitting:
            names = ", ".join(item.name for item in _things(project)) or "there are none"
            raise FernTideError(
                f"{name} is, by its name, no newer file of a track or of an envelope that reads one: {names}.",
                remedy=f"Say which it is of: NAME={name}.",
            )
    return [*named, *((bare[name], item) for name, item in fitting.items())]


def _things(project: Project) -> list[Track | Envelope]:
    return [*project.tracks, *(item for item in project.envelopes if file_field(item))]


def _named(project: Project, name: str, *, file: str) -> Newer:
    for item in _things(project):
        if name in (item.id, item.name):
            kind = "track" if isinstance(item, Track) else "envelope"
            return Newer(file=Path(file).name, kind=kind, id=item.id, name=item.name)
    names = ", ".join(item.name for item in _things(project)) or "none"
    raise UnknownName(
        f"There is no track {name}, nor an envelope of that name that reads a file.", remedy=f"There are: {names}."
    )


def _with(files: UnpackedFiles, project: Project, path: Path, item: Newer) -> Project:
    """Give the project with a file under something, and the file among those that are unpacked."""
    with about(path.name), path.open("rb") as stream:
        digest = hashlib.file_digest(stream, "sha256").hexdigest()
        stream.seek(0)
        if item.kind == "track":
            project = put_sound(project, item.id, media=digest, info=measure(stream)).apply(project)
        else:
            project = put_curve(project, item.id, media=digest, kind=curve_kind(stream.read())).apply(project)
    if digest not in files.known:
        shutil.copyfile(path, files.path(digest))
        files.known.add(digest)
    return project

"""Which files that come in look like newer versions of what a project has."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from fern_tide.core.base.newer_files import newer_files
from fern_tide.core.document import Project
from fern_tide.workflows.bring_in.swap import file_field

_ENDINGS = {"svg": "svgz?", "gltf": "glb|gltf", "image": "png|jpe?g|webp"}  # by kind of file


@dataclass(frozen=True)
class Newer:
    """A file that looks like a newer version of something in the project.

    Attributes:
        file: its name.
        kind: 'track', 'envelope' or 'file'.
        id: of the track, of the envelope that reads a file, or of the file of the stage.
        name: what people call that.
    """

    file: str
    kind: str
    id: str
    name: str


def newer(
    project: Project, *, sounds: Sequence[str] = (), curves: Sequence[str] = (), scenes: Sequence[str] = ()
) -> list[Newer]:
    """Say which files, by their names, look like newer versions of what the project has.

    Args:
        project: whose tracks, envelopes that read a file, and files of the stage they may be.
        sounds: the names of sound files.
        curves: those of files with a curve, or notes.
        scenes: those of drawings, models and pictures; each can be newer than one of its kind.
    """
    reading_a_file = [item for item in project.envelopes if file_field(item)]
    groups: list[tuple[str, Sequence[str], Sequence[_Named]]] = [
        ("track", sounds, project.tracks),
        ("envelope", curves, reading_a_file),
    ]
    for kind, ending in _ENDINGS.items():
        of_kind = [name for name in scenes if re.fullmatch(ending, name.rpartition(".")[2].lower())]
        groups.append(("file", of_kind, [item for item in project.scene.files if item.kind == kind]))
    return [
        Newer(file=files[at], kind=kind, id=things[to].id, name=things[to].name)
        for kind, files, things in groups
        for at, to in newer_files(files, [_bare(item.name) for item in things], song=project.name).items()
    ]


class _Named(Protocol):
    @property
    def id(self) -> str: ...

    @property
    def name(self) -> str: ...


def _bare(name: str) -> str:
    """Give a name without the ending of a file of the stage."""
    return re.sub(rf"\.({'|'.join(_ENDINGS.values())})$", "", name, flags=re.IGNORECASE)

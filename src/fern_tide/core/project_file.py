"""The project file: a .ferntide file is a zip of document.json and the media that it names.

Reading is safe against hostile archives: only the names that the document needs are read, nothing is unpacked by
path, sizes are counted while decompressing, and every media file must hash to its name.
"""

from __future__ import annotations

import errno
import hashlib
import zipfile
import zlib
from collections.abc import Callable, Container, Iterator
from dataclasses import dataclass
from typing import BinaryIO

from fern_tide.core.base.errors import UnreadableProject
from fern_tide.core.document import Project, read_project

DOCUMENT = "document.json"
MEDIA = "media/"
_CHUNK = 1 << 20
_EPOCH = (1980, 1, 1, 0, 0, 0)  # no clock: the same project gives the same bytes


@dataclass(frozen=True)
class ProjectFileLimits:
    """How much is taken in."""

    document_bytes: int = 64 << 20
    media_bytes: int = 2 << 30
    entries: int = 1000


def write_project_file(out: BinaryIO, project: Project, *, media: Callable[[str], BinaryIO]) -> None:
    """Write a project with its media.

    Args:
        out: written from where it stands.
        project: the document.
        media: opens a media file by its hash.
    """
    with zipfile.ZipFile(out, "w") as archive:
        entry = zipfile.ZipInfo(DOCUMENT, _EPOCH)
        entry.compress_type = zipfile.ZIP_DEFLATED
        archive.writestr(entry, project.model_dump_json(indent=1))
        for digest in project.media:
            with media(digest) as source, archive.open(zipfile.ZipInfo(MEDIA + digest, _EPOCH), "w") as target:
                while chunk := source.read(_CHUNK):
                    target.write(chunk)


def read_project_file(
    stream: BinaryIO,
    *,
    keep: Callable[[str, Iterator[bytes]], None],
    limits: ProjectFileLimits | None = None,
    known: Container[str] = (),
) -> Project:
    """Read a project and hand its media on.

    Args:
        stream: seekable.
        keep: called with each media hash and its bytes in chunks; it must throw nothing away before it has read all,
            and what it was given is only good when this function returns.
        limits: how much is taken in.
        known: hashes of media that are there already, which are not read.

    Raises:
        UnreadableProject: it is no project file, is damaged or hostile, or comes from a newer version.
    """
    limits = limits or ProjectFileLimits()
    try:
        with zipfile.ZipFile(stream) as archive:
            if len(archive.infolist()) > limits.entries:
                raise UnreadableProject("The project file has too many entries.", remedy="Export it again.")
            text = b"".join(_read(archive, DOCUMENT, limits.document_bytes))
            project = read_project(text)
            for digest in (digest for digest in project.media if digest not in known):
                keep(digest, _hashed(_read(archive, MEDIA + digest, limits.media_bytes), digest))
            return project
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, ValueError) as cause:
        raise _damaged() from cause
    except OSError as cause:
        if cause.errno != errno.EINVAL:  # a place before the file's beginning, which a spoilt archive can name
            raise
        raise _damaged() from cause


def _damaged() -> UnreadableProject:
    return UnreadableProject(
        "This is no Fern Tide project file, or it is damaged.", remedy="Choose a .ferntide file, or export it again."
    )


def _read(archive: zipfile.ZipFile, name: str, most: int) -> Iterator[bytes]:
    try:
        entry = archive.getinfo(name)
    except KeyError as cause:
        raise UnreadableProject(f"The project file lacks {name:.80}.", remedy="Export it again.") from cause
    total = 0
    with archive.open(entry) as source:
        while chunk := source.read(_CHUNK):
            total += len(chunk)
            if total > most:
                raise UnreadableProject(
                    f"{name:.80} in the project file is larger than {most >> 20} MB.", remedy="Use a smaller one."
                )
            yield chunk


def _hashed(chunks: Iterator[bytes], digest: str) -> Iterator[bytes]:
    seen = hashlib.sha256()
    for chunk in chunks:
        seen.update(chunk)
        yield chunk
    if seen.hexdigest() != digest:
        raise UnreadableProject("A sound in the project file is damaged.", remedy="Export it again.", media=digest)

"""A project file opened outside the application: its curves, checks, sync figures and files, as the command line does.

import fern_tide

with fern_tide.open("Glasshouse.ferntide") as opened:
    for curve in opened.curves():
        print(curve.target, curve.values[:3])
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property
from pathlib import Path
from types import TracebackType
from typing import Any, Self

from fern_tide.core.bake.checking import Outcome, run_checks
from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.expand import Moved
from fern_tide.core.base.errors import UnreadableProject
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.core.formats.format import Moments, Written
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.project_file import read_project_file
from fern_tide.core.scene.gltf.surfaces import lend
from fern_tide.core.scene.media import SceneMedia, load
from fern_tide.core.sound.decode import measure
from fern_tide.workflows.derive.checked import checked
from fern_tide.workflows.derive.file_sources import FileSources
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.derive.pieces import moved_pieces
from fern_tide.workflows.derive.stages import Staged
from fern_tide.workflows.hand_off.writing import moments_of, write_format
from fern_tide.workflows.tune.sync_report import SyncRow, sync_rows


class UnpackedFiles:
    """The files of projects that are opened, each unpacked and read once, in a folder that goes when it is closed."""

    def __init__(self) -> None:
        self._folder = tempfile.TemporaryDirectory()
        self.known: set[str] = set()
        self.sources = FileSources(lambda digest: self.path(digest).open("rb"))
        self.levels = Levels(self.sources)
        lend(self.content)

    def path(self, digest: str) -> Path:
        """Give where a file lies."""
        return Path(self._folder.name) / digest

    def content(self, digest: str) -> bytes:
        """Give a file's bytes."""
        return self.path(digest).read_bytes()

    def read(self, source: Path) -> Project:
        """Read a project file, and unpack what is not there yet.

        Raises:
            UnreadableProject: it is none, or is damaged, or one of its sounds is not what it claims.
        """
        fresh: set[str] = set()

        def unpack(digest: str, chunks: Iterator[bytes]) -> None:
            with self.path(digest).open("wb") as out:
                out.writelines(chunks)
            fresh.add(digest)

        with source.open("rb") as stream:
            project = read_project_file(stream, keep=unpack, known=self.known)
        for track in project.tracks:
            if track.media in fresh:
                with self.path(track.media).open("rb") as sound:
                    if measure(sound).without_note() != track.info.without_note():
                        raise UnreadableProject(
                            f"{track.name} is not the sound that it claims.", remedy="Export it again."
                        )
        self.known |= fresh
        return project

    def close(self) -> None:
        """Take the files away."""
        self._folder.cleanup()


class OpenedProject:
    """A project and its files.

    Args:
        source: the .ferntide file.
        files: where files are unpacked; those of a project that was opened before need not be read again. None makes
            a folder that goes when the project is closed.

    Raises:
        UnreadableProject: it is none, or is damaged, or one of its sounds is not what it claims.
    """

    def __init__(self, source: Path, *, files: UnpackedFiles | None = None) -> None:
        self._own = files is None
        self._files = files or UnpackedFiles()
        try:
            self.project = self._files.read(source)
        except BaseException:
            self.close()
            raise

    def close(self) -> None:
        """Take the unpacked files away, where they are of this project alone."""
        if self._own:
            self._files.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, wrong: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    @cached_property
    def media(self) -> SceneMedia:
        """What the scene was brought in with."""
        return load(self.project.scene, self._files.content)

    @cached_property
    def levels(self) -> Levels:
        """Its levels, all read that its curves are made of."""
        levels = self._files.levels
        self._files.sources.read(levels.graph(self.project).curves.values())
        return levels

    def curves(self) -> tuple[Curve, ...]:
        """Give the curve of every driven property, in the scene's order."""
        return self.levels.curves(self.project)

    @cached_property
    def _moved(self) -> Mapping[Target, Moved]:
        return moved_pieces(self.levels, self.project)

    def _moments(self, format_id: str) -> Moments | None:
        """Give markers, hits and beats, where a format is of them."""
        if FORMATS[format_id].of_moments is None:
            return None
        self._read_rhythms()
        return moments_of(self.levels, self.project)

    def _read_rhythms(self) -> None:
        graph = self.levels.graph(self.project)
        self._files.sources.read(graph.heard_rhythm(track) for track in self.project.tracks)

    def checks(self, limits: Mapping[str, Mapping[str, Any]] | None = None) -> tuple[Outcome, ...]:
        """Run every check; flashing is only measured where pictures are drawn.

        Args:
            limits: by a check's id, those that differ from its own.
        """
        curves, staged = self.curves(), Staged(self.project.scene, self.media)
        about = checked(self.levels, self.project, curves, staged=staged)
        return run_checks(curves, limits=limits, about=about)

    def sync(self) -> list[SyncRow]:
        """Measure every curve against the hits of what drives it."""
        self._read_rhythms()
        return sync_rows(self.levels, self.project)

    def write(
        self, format_id: str, *, options: Mapping[str, object] | None = None, parts: Sequence[str] | None = None
    ) -> Written:
        """Write its curves in a format, and read them back.

        Args:
            format_id: which.
            options: of the format; those that it does not have are passed over.
            parts: the ids of the parts that go in, each with all inside it; None is all.

        Raises:
            FernTideError: the format carries no such scene, or nothing goes in.
        """
        own = FORMATS[format_id].params.model_fields
        known = {name: value for name, value in (options or {}).items() if name in own}
        return write_format(
            self.project,
            self.curves(),
            format_id=format_id,
            media=self.media,
            parts=parts,
            options=known,
            moved=self._moved,
            moments=self._moments(format_id),
        )

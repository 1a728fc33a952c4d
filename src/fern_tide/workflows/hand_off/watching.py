"""Baking again whenever a project file changes, so that an open program next door finds the newest curves."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.formats.format import Written
from fern_tide.workflows.hand_off.batch import file_names
from fern_tide.workflows.hand_off.opened import OpenedProject, UnpackedFiles
from fern_tide.workflows.hand_off.writing import file_stem

LOOK_S = 0.05


@dataclass(frozen=True)
class BakePlan:
    """What is written of a project file: where, in which formats, of which parts, with which options of the formats."""

    source: Path
    out: Path
    formats: Sequence[str]
    parts: Sequence[str] | None = None
    options: Mapping[str, str] = field(default_factory=dict)


def bake(plan: BakePlan, *, files: UnpackedFiles | None = None) -> list[tuple[Path, Written]]:
    """Bake a project file and write its curves, each file whole or not at all; those that are as they were stay.

    Raises:
        FernTideError: the project cannot be read, or a format cannot carry it: then nothing is written.
    """
    with OpenedProject(plan.source, files=files) as opened:
        names = dict.fromkeys(plan.formats)
        written = [opened.write(name, options=plan.options, parts=plan.parts) for name in names]
    plan.out.mkdir(parents=True, exist_ok=True)
    paths = [plan.out / name for name in file_names(file_stem(plan.source.stem), written)]
    for path, one in zip(paths, written, strict=True):
        put(path, one.content)
    return list(zip(paths, written, strict=True))


def put(path: Path, content: bytes) -> None:
    """Put a file in place, whole or not at all; one that is the same already is left alone."""
    if path.is_file() and path.stat().st_size == len(content) and path.read_bytes() == content:
        return
    part = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        part.write_bytes(content)
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)


def watch(
    plan: BakePlan, *, tell: Callable[[list[tuple[Path, Written]], str], None], go_on: Callable[[], bool] = lambda: True
) -> None:
    """Bake a project file now, and again whenever it changes, until told to end.

    Args:
        plan: what is written.
        tell: called with what was written, or with what is wrong: a file that is being saved is looked at again.
        go_on: asked before each look.
    """
    files, seen = UnpackedFiles(), (-1, -1)
    try:
        while go_on():
            now = _state(plan.source)
            if now != seen:
                seen = now
                try:
                    tell(bake(plan, files=files), "")
                except (FernTideError, OSError) as wrong:
                    tell([], str(wrong))
            time.sleep(LOOK_S)
    finally:
        files.close()


def _state(path: Path) -> tuple[int, int]:
    """Give what tells a file that was changed: when, and how large it is; of one that is gone nothing."""
    try:
        status = path.stat()
    except FileNotFoundError:
        return (0, 0)
    return status.st_mtime_ns, status.st_size

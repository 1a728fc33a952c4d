"""The commands that make, map and bake projects; what is slow to import is imported where it is used."""

from __future__ import annotations

import argparse
import contextlib
import io
import json
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence
    from typing import BinaryIO

    from fern_tide.core.document import Project
    from fern_tide.core.formats.format import Written


def write_demo(folder: Path) -> None:
    """Write the demo project and its sounds into a folder."""
    from fern_tide.core.project_file import write_project_file
    from fern_tide.demo.project import demo_project, demo_sounds
    from fern_tide.workflows.hand_off.writing import file_stem

    folder.mkdir(parents=True, exist_ok=True)
    project, sounds = demo_project(), demo_sounds()
    by_hash = {track.media: sounds[track.name] for track in project.tracks}
    for name, content in sounds.items():
        (folder / f"{file_stem(name)}.wav").write_bytes(content)
        print(folder / f"{file_stem(name)}.wav")
    path = folder / f"{file_stem(project.name)}.ferntide"
    with path.open("wb") as out:
        write_project_file(out, project, media=lambda digest: io.BytesIO(by_hash[digest]))
    print(path)


def map_(arguments: argparse.Namespace) -> None:
    """Make a project of a sound, an envelope and targets."""
    from fern_tide.workflows.hand_off.offline import MapPlan, load_scene, map_sound

    scene, files = load_scene(arguments.scene)
    plan = MapPlan(
        rate=arguments.rate,
        reading=arguments.reading,
        clean_up=arguments.clean,
        low=arguments.low,
        high=arguments.high,
        steps=arguments.step,
        response=arguments.response,
        targets=arguments.target,
        spread=arguments.spread,
    )
    sound = Path(arguments.sound)
    _write_project(arguments.out, map_sound(sound, plan=plan, scene=scene, files=files), [sound], files)


def first_cut(arguments: argparse.Namespace) -> None:
    """Make a project of a sound or of stems with a first cut."""
    from fern_tide.workflows.hand_off.offline import cut_sounds, load_scene

    scene, files = load_scene(arguments.scene)
    sounds = [Path(name) for name in arguments.sounds]
    project = cut_sounds(sounds, rate=arguments.rate, seed=arguments.seed, scene=scene, files=files)
    _write_project(arguments.out, project, sounds, files)


def swap(arguments: argparse.Namespace) -> None:
    """Put newer files under what a project file has, and print what moved, as JSON."""
    from fern_tide.core.project_file import write_project_file
    from fern_tide.workflows.hand_off.opened import UnpackedFiles
    from fern_tide.workflows.hand_off.swapping import swap_files

    with contextlib.closing(UnpackedFiles()) as files:
        before = files.read(Path(arguments.project))
        swapped = swap_files(files, before, arguments.files)
        with _whole(Path(arguments.out)) as out:
            write_project_file(out, swapped.project, media=lambda digest: files.path(digest).open("rb"))
    per_second = swapped.project.rate.per_second
    moved = [
        {
            "curve": item.target,
            "largest_percent": round(100 * item.largest, 3),
            "mean_percent": round(100 * item.mean, 3),
            "largest_at_s": round(item.at_frame / per_second, 3),
            **({"note": item.note} if item.note else {}),
        }
        for item in swapped.moved
    ]
    files_under = [{"file": item.file, item.kind: item.name} for item in swapped.newer]
    frames = [before.n_frames, swapped.project.n_frames]
    print(json.dumps({"swapped": files_under, "frames": frames, "moved": moved}, indent=1, ensure_ascii=False))


@contextlib.contextmanager
def _whole(path: Path) -> Iterator[BinaryIO]:
    """Open a file for writing that is there whole or not at all: it may be one that is read, too."""
    if path.exists() and not path.is_file():  # such as a pipe
        with path.open("wb") as out:
            yield out
        return
    path = path.resolve()
    part = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        with part.open("wb") as out:
            yield out
        if path.exists():
            part.chmod(path.stat().st_mode & 0o777)
        part.replace(path)
    except OSError as wrong:
        if wrong.filename not in {None, str(part)}:
            raise
        raise OSError(wrong.errno, wrong.strerror, str(path)) from wrong
    finally:
        part.unlink(missing_ok=True)


def _write_project(path: str, project: Project, sounds: Sequence[Path], files: dict[str, bytes]) -> None:
    from fern_tide.core.project_file import write_project_file

    paths = {track.media: sound for track, sound in zip(project.tracks, sounds, strict=True)}
    with _whole(Path(path)) as out:
        write_project_file(
            out,
            project,
            media=lambda digest: io.BytesIO(files[digest]) if digest in files else paths[digest].open("rb"),
        )
    print(path)


def bake(arguments: argparse.Namespace) -> None:
    """Bake a project file and write its curves; watching, again whenever it changes."""
    from fern_tide.core.base.params import parse_pairs
    from fern_tide.core.formats.profile import read_profile
    from fern_tide.workflows.hand_off import watching

    asked = {"interpolation": arguments.interpolation, "error_percent": arguments.error}
    parts = None if arguments.parts is None else [name.strip() for name in arguments.parts.split(",")]
    options = {name: str(value) for name, value in asked.items() if value is not None} | parse_pairs(arguments.option)
    if arguments.profile is not None:
        options |= read_profile(Path(arguments.profile).read_bytes())
    plan = watching.BakePlan(Path(arguments.project), Path(arguments.out), arguments.format or ["csv"], parts, options)

    def tell(written: list[tuple[Path, Written]], wrong: str) -> None:
        for path, item in written:
            unit = "s" if item.n_moments else "of the range"
            print(f"{path} read back within {item.error:.2g} {unit}", flush=True)
        if wrong:
            print(f"fern-tide: {wrong}", file=sys.stderr, flush=True)

    if not arguments.watch:
        tell(watching.bake(plan), "")
        return
    with contextlib.suppress(KeyboardInterrupt):
        watching.watch(plan, tell=tell)


def check(arguments: argparse.Namespace) -> int:
    """Print what the checks find in a project file, as JSON; 1 where they find anything."""
    from fern_tide.workflows.hand_off.opened import OpenedProject

    with OpenedProject(Path(arguments.project)) as opened:
        outcomes = opened.checks()
    findings = [
        {
            "check": outcome.check.id,
            "curve": None if finding.target is None else str(finding.target),
            "frame": finding.frame,
            "words": finding.words,
        }
        for outcome in outcomes
        for finding in outcome.findings
    ]
    waits = {outcome.check.id: outcome.waits for outcome in outcomes if outcome.waits}
    print(json.dumps({"findings": findings, "not_looked_at": waits}, indent=1, ensure_ascii=False))
    return 1 if findings else 0


def sync(arguments: argparse.Namespace) -> None:
    """Write how far every curve of a project file lies behind its hits, as CSV."""
    from fern_tide.workflows.hand_off.opened import OpenedProject
    from fern_tide.workflows.tune.sync_report import sync_csv

    with OpenedProject(Path(arguments.project)) as opened:
        text = sync_csv(opened.project, opened.sync())
    Path(arguments.csv).write_text(text)
    print(arguments.csv)

"""Measure the derivation graph on large documents: wall-clock times of one run, written below those of scenes.

Usage: make bench
"""

from __future__ import annotations

import os

os.environ["OPENBLAS_NUM_THREADS"] = "1"

import hashlib
import io
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from page import write_part
from sounds import song

from fern_tide.core.base.target import Target
from fern_tide.core.derivation.words import records_of
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.envelope import Envelope, ReadingChoice
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.marks import Marks
from fern_tide.core.scene.follow import Follow
from fern_tide.core.scene.scene import Scene
from fern_tide.core.sound.decode import measure
from fern_tide.demo.scene import glasshouse
from fern_tide.workflows.bake import baking
from fern_tide.workflows.derive.analysis import levels_of
from fern_tide.workflows.derive.file_sources import FileSources
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.studio import Settings, Studio
from fern_tide.workflows.tune import edits

ROWS: list[tuple[str, str, str]] = []
CURVES, CHAIN, MAPPINGS = 10_000, 300, 200
SOUND = song(20, channels=1)
TRACK = Track(
    id="song", name="Song", media=hashlib.sha256(SOUND).hexdigest(), info=measure(io.BytesIO(SOUND)), offset_samples=0
)


def timed(run: Callable[[], object]) -> float:
    """Give how many milliseconds something takes."""
    start = time.perf_counter()
    run()
    return 1000.0 * (time.perf_counter() - start)


def document(scene: Scene, mappings: tuple[Mapping, ...], *envelopes: Envelope) -> Project:
    loud = Envelope(id="loud", name="Loud", track="song", reading=ReadingChoice(id="amplitude"))
    return Project(name="Large", scene=scene, tracks=(TRACK,), envelopes=(loud, *envelopes), mappings=mappings)


def mapping(name: str, envelope: str, targets: list[str]) -> Mapping:
    drives = tuple(Drive(target=Target.parse(target), rest=0.0, full=1.0) for target in targets)
    return Mapping(id=name, name=name, envelope=envelope, marks=Marks(low=0.03, high=0.3), drives=drives)


def many_parts(n_targets: int) -> tuple[Scene, list[str]]:
    scene = glasshouse()
    lamp = next(part for part in scene.parts if part.has("turn"))
    names = [item.id for item in lamp.properties if item.kind == "number"][:8]
    parts = tuple(lamp.but(id=f"p{n}", name=f"P{n}", parent=None) for n in range(-(-n_targets // len(names))))
    return scene.but(parts=parts), [f"{part.id}:{name}" for part in parts for name in names][:n_targets]


def large() -> Project:
    """Give a project of 10,000 curves, half driven by 200 mappings, half in chains of 300 that follow each other."""
    scene, targets = many_parts(CURVES)
    driven, following = targets[: CURVES // 2], targets[CURVES // 2 :]
    each = len(driven) // MAPPINGS
    mappings = tuple(mapping(f"m{n}", "loud", driven[n * each : (n + 1) * each]) for n in range(MAPPINGS))
    sources = [driven[n // CHAIN] if n % CHAIN == 0 else following[n - 1] for n in range(len(following))]
    pairs = zip(following, sources, strict=True)
    follows = tuple(Follow(target=Target.parse(a), source=Target.parse(b), factor=1.01) for a, b in pairs)
    return document(scene.but(follows=follows), mappings)


def status(folder: Path) -> None:
    project = large()
    studio = Studio.open(Settings(data=folder))
    levels, key = levels_of(studio), studio.projects.create(project).key
    cold = timed(lambda: levels.graph(project).curves)
    curves = levels.graph(project).curves
    for node in curves.values():
        studio.derived.put(node.fingerprint, np.zeros(1))
    records = {digest: record.plain for digest, record in records_of(curves.values()).items()}
    studio.projects.set_baked(key, {str(target): node.fingerprint for target, node in curves.items()}, records)
    same = min(timed(lambda: baking.stale_count(studio, levels, key, project)) for _ in range(3))
    after_edits = []
    for at in range(100, 105):
        tuned = project.mappings[at].but(marks=Marks(low=0.05, high=0.3))
        after = project.but(mappings=(*project.mappings[:at], tuned, *project.mappings[at + 1 :]))
        after_edits.append(timed(lambda after=after: baking.stale_count(studio, levels, key, after)))
        assert len(edits.changes(levels, project, after).targets or ()) == CURVES // 2 // MAPPINGS
    said = f"{same:.0f} ms; {min(after_edits):.0f} ms right after an edit; its graph from nothing {cold:.0f} ms"
    ROWS.append((f"status of {CURVES:,} curves with chains of {CHAIN} follows", "100 ms", said))


def chains() -> None:
    levels = Levels(FileSources(lambda media: io.BytesIO(SOUND)))
    scene, targets = many_parts(241)
    pairs = zip(targets[1:], targets, strict=False)
    follows = tuple(Follow(target=Target.parse(a), source=Target.parse(b)) for a, b in pairs)
    project = document(scene.but(follows=follows), (mapping("m", "loud", targets[:1]),))
    took = timed(lambda: levels.curves(project))
    ROWS.append(("a follow of a follow, 240 deep: all curves baked", "linear (it was 86 s)", f"{took:.0f} ms"))
    blends: list[Envelope] = []
    for n in range(60):
        uses = f"first={blends[-1].id if blends else 'loud'} second={blends[-2].id if n > 1 else 'loud'}"
        blends.append(Envelope(id=f"b{n}", name=f"B{n}", reading=ReadingChoice.parse(f"blend {uses} how=mean")))
    for depth in (12, 60):
        deep = document(glasshouse(), (mapping("m", f"b{depth - 1}", ["lamp:turn"]),), *blends)
        took = timed(lambda deep=deep: Levels(FileSources(lambda media: io.BytesIO(SOUND))).curves(deep))
        goal = "linear (12 deep it was 10 s)"
        ROWS.append((f"a blend of blends, {depth} deep: its curve baked, its sound read", goal, f"{took:.0f} ms"))


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        status(Path(folder))
    chains()
    write_part("Derivation", "Wall-clock times, of one run.", ROWS)
    for row in ROWS:
        print(*row, sep=" | ")


if __name__ == "__main__":
    main()

"""Measure touch-ups over a bake, the sync report, flashes and a proof; writes 'Hand-off' of docs/benchmarks.md."""

import io
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from statistics import median

import av
import numpy as np
import soundfile
from page import write_part

from fern_tide.cli_projects import write_demo
from fern_tide.core.bake.flashing import FlashMeter
from fern_tide.core.bake.touch_up import TouchUp
from fern_tide.core.base.params import build
from fern_tide.core.derivation.graph import Graph
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import CleanUpChoice, Envelope, ReadingChoice
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.scene import Part, PartChoice, Scene
from fern_tide.workflows.bake.baking import bake_all
from fern_tide.workflows.derive.file_sources import FileSources, track_of
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.studio import Settings, Studio
from fern_tide.workflows.tune.sync_report import causes, sync_rows
from fern_tide.workflows.tune.touching import standings

CURVES, FRAMES, TOUCH_UPS = 200, 14_400, 1_000
ROWS: list[tuple[str, str, str]] = []


def song(seconds: float) -> bytes:
    """Drums with a hit every 0.4 s over noise."""
    rate = 44_100
    t = np.arange(round(seconds * rate)) / rate
    wave = 0.004 * np.random.default_rng(1).normal(size=t.size)
    since = t % 0.4
    wave += 0.7 * np.sin(2 * np.pi * 90 * since) * np.exp(-since / 0.05)
    out = io.BytesIO()
    soundfile.write(out, wave, rate, format="WAV", subtype="PCM_16")
    return out.getvalue()


def project_of(path) -> Project:
    track = track_of(path)
    clean = (CleanUpChoice.parse("rise_and_fall rise_ms=20"), CleanUpChoice.parse("smooth width_ms=60"))
    envelopes = tuple(
        Envelope(id=f"e{n}", name=f"E{n}", track=track.id, reading=ReadingChoice.parse("amplitude"), clean_up=clean)
        for n in range(20)
    )
    parts = tuple(Part(id=f"p{n}", name=f"P{n}", shape=PartChoice(id="rectangle")) for n in range(CURVES))
    mappings = tuple(
        build(
            Mapping,
            {
                "id": f"m{n}",
                "name": f"M{n}",
                "envelope": f"e{n % 20}",
                "marks": {"low": 0.02 + n / 9000, "high": 0.6},
                "drives": [{"target": f"p{n}:y", "rest": 0.0, "full": 100.0, "late_frames": n % 3}],
            },
        )
        for n in range(CURVES)
    )
    scene = Scene(name="Many", parts=parts)
    return Project(name="Many", rate="60", tracks=(track,), envelopes=envelopes, mappings=mappings, scene=scene)


def touch_ups() -> tuple[TouchUp, ...]:
    kinds = ("hold", "scale", "nudge", "silence", "smooth", "slide")
    return tuple(
        build(
            TouchUp,
            {
                "id": f"t{n}",
                "target": f"p{n % CURVES}:y",
                "start": {"at_s": 2.0 + 40 * (n // CURVES)},
                "length_s": 1.5,
                "fade_in_s": 0.2,
                "fade_out_s": 0.2,
                "touch": {"id": kinds[n % len(kinds)]},
            },
        )
        for n in range(TOUCH_UPS)
    )


def timed(run) -> float:
    start = time.perf_counter()
    run()
    return time.perf_counter() - start


def over_a_bake(folder: Path) -> None:
    path = folder / "song.wav"
    path.write_bytes(song(FRAMES / 60))
    project = project_of(path)
    sources = FileSources(lambda digest: path.open("rb"))
    sources.read([*Graph(project).curves.values(), Graph(project).rhythm(project.tracks[0])])
    with_them = project.but(touch_ups=touch_ups())
    plain, touched = [], []
    for _ in range(5):
        plain.append(timed(lambda: Levels(sources).curves(project)))
        touched.append(timed(lambda: Levels(sources).curves(with_them)))
    size = f"{CURVES} curves x {FRAMES} frames"
    ratio = median(touched) / median(plain)
    measured = f"{ratio:.1f}x; {(median(touched) - median(plain)) / TOUCH_UPS * 1000:.2f} ms each"
    ROWS.append((f"{TOUCH_UPS} touch-ups over the bare curves of {size}", "1.2x", measured))
    levels, rows = Levels(sources), []
    levels.curves(project)
    figures = timed(lambda: rows.extend(sync_rows(levels, project)))
    shared: dict = {}
    why = timed(lambda: [causes(levels, project, row, shared=shared) for row in rows])
    measured = f"{figures:.2f} s; with what makes each late {figures + why:.2f} s"
    ROWS.append((f"sync report of {size}", "3 s", measured))
    levels = Levels(sources)
    levels.curves(with_them)
    stand = timed(lambda: standings(levels, with_them))
    ROWS.append((f"what became of the motion below {TOUCH_UPS} touch-ups", "–", f"{stand:.2f} s"))


def over_the_button(folder: Path) -> None:
    """A bake that is stored, after the clean-up of every envelope was changed, in turns without and with touch-ups."""
    path = folder / "song.wav"
    project = project_of(path)
    studio = Studio.open(Settings(data=folder / "data"))
    sources = FileSources(lambda digest: path.open("rb"))
    sources.read([*Graph(project).curves.values(), Graph(project).rhythm(project.tracks[0])])
    levels = Levels(sources)
    with path.open("rb") as stream:
        studio.media.add(stream, most=1 << 30)
    documents = [project, project.but(touch_ups=touch_ups())]
    keys = [studio.projects.create(one).key for one in documents]
    ratios = []
    for width in range(60, 102, 2):
        seconds = []
        for key, document in zip(keys, documents, strict=True):
            clean = CleanUpChoice.parse(f"smooth width_ms={width}")
            envelopes = tuple(one.but(clean_up=(one.clean_up[0], clean)) for one in document.envelopes)
            changed = document.but(envelopes=envelopes)
            for node in levels.graph(changed).curves.values():
                assert node.fingerprint  # the page that changed it asked for it already
            began = time.process_time()
            bake_all(studio, levels, key, changed)
            seconds.append(time.process_time() - began)
        ratios.append(seconds[1] / seconds[0])
    what = f"{TOUCH_UPS} touch-ups over a bake as its button does it, stored, of CPU time"
    ROWS.append((what, "1.2x", f"{median(ratios):.2f}x, median of {len(ratios)} pairs"))


def flashes() -> None:
    meter, pictures = FlashMeter(30.0), np.random.default_rng(1).integers(0, 255, (40, 72, 96, 3), dtype=np.uint8)
    seconds = timed(lambda: [meter.take(picture) for picture in pictures])
    ROWS.append(("flashes of 45 s at 30 fps, beyond drawing", "5 s", f"{seconds / len(pictures) * 1350:.1f} s"))


def a_proof(folder: Path) -> None:
    write_demo(folder)
    (project,) = folder.glob("*.ferntide")
    out = folder / "proof.mp4"
    command = [sys.executable, "-m", "fern_tide.cli", "proof", project, "--out", out, "--size", "960x540"]
    seconds = timed(lambda: subprocess.run(command, check=True, capture_output=True))
    with av.open(out) as video:
        frames = sum(1 for packet in video.demux(video=0) if packet.size)
    measured = f"{frames / seconds:.0f} fps, {out.stat().st_size / 1e6:.0f} MB"
    ROWS.append(("proof of the 2D demo at 960x540, from the command to the file", "30 fps", measured))


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        over_a_bake(Path(folder))
        over_the_button(Path(folder))
    with tempfile.TemporaryDirectory() as folder:
        a_proof(Path(folder))
    flashes()
    write_part("Hand-off", "Wall-clock times, of one run.", ROWS)
    for row in ROWS:
        print(*row, sep=" | ")


if __name__ == "__main__":
    main()

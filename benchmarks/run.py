"""Measure what PERFORMANCE.md names, as ratios of CPU time in pairs inside this process; writes docs/benchmarks.md.

Usage: make bench
"""

from __future__ import annotations

import os

os.environ["OPENBLAS_NUM_THREADS"] = "1"

import io
import platform
import resource
import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import scipy.fft
import soundfile

from fern_tide.core.bake.bake import bake
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.envelope.envelope import CleanUpChoice, clean
from fern_tide.core.mapping.mapping import Drive, Mapping, ResponseChoice, StepChoice, shaped_lift, value
from fern_tide.core.mapping.marks import Marks, Scale
from fern_tide.core.sound.decode import measure
from fern_tide.core.sound.features import analyze
from fern_tide.core.sound.grid import FrameGrid
from fern_tide.core.sound.spectrum import band_level, column_edges_hz, window_samples
from fern_tide.demo.scene import glasshouse
from fern_tide.workflows.analysis import USUAL

ROOT = Path(__file__).parent.parent
RATE = FrameRate.parse("60")
ROWS: list[tuple[str, str, str]] = []


def cpu(run: Callable[[], object]) -> float:
    start = time.process_time()
    run()
    return time.process_time() - start


def ratio(run: Callable[[], object], against: Callable[[], object], *, pairs: int = 5) -> float:
    run(), against()
    return statistics.median(cpu(run) / cpu(against) for _ in range(pairs))


def row(what: str, goal: str, measured: str) -> None:
    ROWS.append((what, goal, measured))
    print(f"{what}: {measured} (goal: {goal})", flush=True)


def song(seconds: int = 240) -> bytes:
    noise = np.random.default_rng(1).normal(size=(44_100 * seconds, 2)).astype(np.float32) * 0.1
    out = io.BytesIO()
    soundfile.write(out, noise, 44_100, format="WAV", subtype="PCM_16")
    return out.getvalue()


def analysis() -> None:
    content = song()
    info = measure(io.BytesIO(content))
    grid = FrameGrid(RATE, info.sample_rate_hz, info.n_samples)
    windows = [feature.window for feature in USUAL if feature.kind == "spectrum"]

    def ours() -> object:
        return analyze(io.BytesIO(content), info, grid=grid, features=USUAL)

    def bare() -> None:
        for window in windows:
            chunk = np.ones((64, window_samples(window, sample_rate_hz=44_100)), dtype=np.float32)
            for _ in range(0, grid.n_frames, 64):
                scipy.fft.rfft(chunk, axis=-1)

    what = "analysis of a 4-minute stereo track at 60 fps (waveform, RMS, three spectra of mid) against its bare FFTs"
    row(what, "at most 4.0x (for a fuller set of features)", f"{ratio(ours, bare, pairs=3):.1f}x")
    found = ours()
    spectrum = next(feature for feature in USUAL if feature.kind == "spectrum")
    cumulative = found[spectrum]
    edges = column_edges_hz(window_samples(spectrum.window, sample_rate_hz=44_100), sample_rate_hz=44_100)
    retune(lambda: band_level(cumulative, edges, low_hz=3_000, high_hz=11_000), grid.n_frames)


def retune(band: Callable[[], np.ndarray], n_frames: int) -> None:
    clean_up = tuple(CleanUpChoice.parse(text) for text in ("smooth width_ms=80", "rise_and_fall"))
    drive = Drive(target=Target(part="lamp", property="turn"), rest=0.0, full=1.0, response=ResponseChoice(id="smooth"))
    mapping = Mapping(
        id="a",
        name="a",
        envelope="e",
        marks=Marks(low=0.01, high=0.2, scale=Scale.DB),
        steps=(StepChoice.parse("shift by=-1.5"),),
        drives=(drive,),
    )

    def once() -> object:
        level = clean(band(), clean_up, rate=RATE)
        return value(shaped_lift(level, mapping, rate=RATE), drive=drive)

    once()
    times = sorted(cpu(lambda: [once() for _ in range(10)]) / 10 for _ in range(9))
    per = times[len(times) // 2] * 1000 * 10_000 / n_frames
    row("retune of one envelope and its mapping, per 10,000 frames", "at most 3 ms", f"{per:.1f} ms")


def baking() -> None:
    scene, n_frames = glasshouse(), 14_400
    targets = [
        Target(part=part.id, property=item.id)
        for part in scene.parts
        for item in part.kind.properties
        if item.kind == "number"
    ]
    lift = 0.5 + 0.5 * np.sin(np.arange(n_frames) / 9.0)
    drives = tuple(Drive(target=target, rest=0.0, full=1.0, response=ResponseChoice(id="smooth")) for target in targets)
    mapping = Mapping(id="a", name="a", envelope="e", marks=Marks(low=0.1, high=0.9), drives=drives)
    copied = np.zeros((len(targets), n_frames))
    per = ratio(lambda: bake(scene, [mapping], lifts={"a": lift}), copied.copy)
    what = f"bake of {len(targets)} curves x {n_frames} frames from their lift, against copying the same array"
    row(what, "at most 25x (rise and fall and smooth included)", f"{per:.1f}x")


def starting() -> None:
    def child() -> float:
        before = resource.getrusage(resource.RUSAGE_CHILDREN)
        subprocess.run([sys.executable, "-m", "fern_tide.cli", "--help"], check=True, capture_output=True)
        after = resource.getrusage(resource.RUSAGE_CHILDREN)
        return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime

    row("CPU time of `fern-tide --help`", "at most 0.4 s", f"{min(child() for _ in range(3)):.2f} s")


def drift() -> None:
    rate = FrameRate.parse("24000/1001")
    apart = rate.first_sample(24_000 * 60, sample_rate_hz=48_000) - 1_001 * 60 * 48_000
    row("frame grid at 24000/1001 after 60 minutes", "exactly zero drift", f"{apart} samples")


def main() -> None:
    for part in (analysis, baking, starting, drift):
        part()
    facts = f"Python {platform.python_version()}, numpy {np.__version__}, {platform.machine()}, {os.cpu_count()} cores"
    lines = [
        "# Measurements",
        "",
        f"Made by `make bench` on {facts}. Ratios are medians of CPU time, in pairs inside one process.",
        "",
        "| what | goal | measured |",
        "|---|---|---|",
        *(f"| {what} | {goal} | {measured} |" for what, goal, measured in ROWS),
        "",
        "`python benchmarks/drag.py` measures in the browser how long a dragged mark takes to move curve and stage.",
        "",
    ]
    (ROOT / "docs/benchmarks.md").write_text("\n".join(lines))


if __name__ == "__main__":
    main()

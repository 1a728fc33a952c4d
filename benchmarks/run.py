"""Measure what PERFORMANCE.md names, as ratios of CPU time in pairs inside this process; writes docs/benchmarks.md.

Usage: make bench
"""

from __future__ import annotations

import os

os.environ["OPENBLAS_NUM_THREADS"] = "1"

import importlib.util
import io
import platform
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import scipy.fft
import scipy.signal
import soundfile
from sounds import clean_drums, song

from fern_tide.core.bake.bake import bake
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.envelope.beats import rhythm
from fern_tide.core.envelope.envelope import CleanUpChoice, ReadingChoice, clean, needs, read_raw
from fern_tide.core.mapping.drive import Drive, ResponseChoice, value
from fern_tide.core.mapping.mapping import Mapping, StepChoice, shaped_lift
from fern_tide.core.mapping.marks import Marks, Scale
from fern_tide.core.mapping.step import StepContext
from fern_tide.core.sound.band_reading import band_level
from fern_tide.core.sound.channels import Channel
from fern_tide.core.sound.decode import SoundInfo, measure
from fern_tide.core.sound.features import (
    AttacksFeature,
    Feature,
    LevelsFeature,
    LoudnessFeature,
    LoudnessWindow,
    RisesFeature,
    SpectrumFeature,
    analyze,
)
from fern_tide.core.sound.grid import FrameGrid
from fern_tide.core.sound.levels import Detector
from fern_tide.core.sound.onsets import n_rises
from fern_tide.core.sound.running import k_weighting
from fern_tide.core.sound.spectrum import Part, Window, window_samples
from fern_tide.demo.scene import glasshouse
from fern_tide.store.files import DerivedStore
from fern_tide.workflows.derive.analysis import USUAL

ROOT = Path(__file__).parent.parent
RATE = FrameRate.parse("60")
HOUR = ROOT / "benchmarks/hour.py"
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


def full_features() -> list[Feature]:
    """All that PERFORMANCE.md's row on analysis names, but for what is derived from it below."""
    channels = (Channel.MID, Channel.LEFT, Channel.RIGHT)
    spectra = [SpectrumFeature(channel=channel, window=Window.BALANCED) for channel in channels]
    spectra += [SpectrumFeature(channel=channel, window=Window.FINE, part=Part.LOWS) for channel in channels[1:]]
    spectra += [SpectrumFeature(channel=Channel.MID, window=Window.FINE, part=Part.NOTES)]
    levels = [LevelsFeature(channel=Channel.MID, detector=detector) for detector in Detector]
    loudness = LoudnessFeature(window=LoudnessWindow.MOMENTARY)
    return [RisesFeature(), AttacksFeature(), *levels, loudness, *spectra]


DERIVED = ("bank bands=32 window=balanced equalise=none", "pitch_classes", "brightness")


def analysis() -> None:
    content = song()
    info = measure(io.BytesIO(content))
    grid = FrameGrid(RATE, info.sample_rate_hz, info.n_samples)
    features = full_features()
    windows = [feature.window for feature in features if feature.kind == "spectrum"]

    def ours() -> object:
        with tempfile.TemporaryDirectory() as folder, DerivedStore(Path(folder)).growing() as growing:
            found = analyze(
                io.BytesIO(content),
                info,
                grid=grid,
                features=features,
                allocate=lambda feature, shape: growing.array(str(len(shape)) + str(hash(feature)), shape),
            )
            source = _Found(info, found, grid)
            for text in DERIVED:
                choice = ReadingChoice.parse(text)
                if all(feature in found for feature in needs(choice, info)):
                    read_raw(choice, source)
            rhythm(found[RisesFeature()], found[AttacksFeature()], sample_rate_hz=info.sample_rate_hz)
        return None

    def bare() -> None:
        for window in windows:
            chunk = np.ones((64, window_samples(window, sample_rate_hz=44_100)), dtype=np.float32)
            for _ in range(0, grid.n_frames, 64):
                scipy.fft.rfft(chunk, axis=-1)
        chunk = np.ones((64, window_samples(Window.TIGHT, sample_rate_hz=44_100)), dtype=np.float32)
        for _ in range(0, n_rises(info.n_samples, sample_rate_hz=44_100), 64):
            scipy.fft.rfft(chunk, axis=-1)

    what = (
        "full analysis of a 4-minute stereo track at 60 fps (mid, left, right: band cache, 32 bands, pitch classes, "
        "brightness, loudness, four detectors, hits, beats, written to the disk) against the bare FFTs of its windows"
    )
    row(what, "at most 4.0x", f"{ratio(ours, bare, pairs=3):.1f}x")
    cached(info)


def cached(info: SoundInfo) -> None:
    """What an analysis keeps on the disk, and what each further window adds when a band asks for it."""

    def hour_mb(feature: Feature) -> float:
        two = info.model_copy(update={"n_samples": 88_200})
        found = analyze(io.BytesIO(song(2)), two, grid=FrameGrid(RATE, 44_100, 88_200), features=[feature])[feature]
        return found.nbytes * 1800 / 1e6

    usual = sum(hour_mb(feature) for feature in USUAL)
    more = [SpectrumFeature(channel=Channel.MID, window=window) for window in (Window.TIGHT, Window.FINE)]
    added = ", ".join(f"{feature.window} {hour_mb(feature):.0f} MB" for feature in more)
    what = "cache on disk per channel, 60 min at 60 fps (a band that asks for another window adds it)"
    spectra = sum(hour_mb(feature) for feature in USUAL if feature.kind == "spectrum")
    row(what, "at most 250 MB", f"{spectra:.0f} MB of spectra, {usual:.0f} MB in all ({added})")


def against_librosa() -> None:
    """The same features, mono, against what people would first write with librosa: warm, and in a fresh process."""
    if importlib.util.find_spec("librosa") is None:
        row(
            "same features, mono, against the obvious librosa pipeline",
            "at least 6x less CPU",
            "librosa is not installed",
        )
        return
    import librosa

    content = song(channels=1)
    info = measure(io.BytesIO(content))
    grid = FrameGrid(RATE, info.sample_rate_hz, info.n_samples)
    texts = ("bank bands=32 window=balanced equalise=none", "pitch_classes", "brightness", "noisiness")
    wanted = [item for text in texts for item in needs(ReadingChoice.parse(text), info)]
    levels = [LevelsFeature(channel=Channel.MID, detector=Detector.RMS)]
    loudness = LoudnessFeature(window=LoudnessWindow.MOMENTARY)
    features = [RisesFeature(), AttacksFeature(), *levels, loudness, *dict.fromkeys(wanted)]

    def ours() -> None:
        found = analyze(io.BytesIO(content), info, grid=grid, features=features)
        source = _Found(info, found, grid)
        for text in texts:
            read_raw(ReadingChoice.parse(text), source)
        rhythm(found[RisesFeature()], found[AttacksFeature()], sample_rate_hz=info.sample_rate_hz)

    def theirs() -> None:
        y, rate = librosa.load(io.BytesIO(content), sr=None)
        hop = rate // 60
        librosa.feature.melspectrogram(y=y, sr=rate, n_fft=2048, hop_length=hop, n_mels=32)
        librosa.feature.chroma_stft(y=y, sr=rate, n_fft=4096, hop_length=hop)
        librosa.feature.spectral_centroid(y=y, sr=rate, n_fft=2048, hop_length=hop)
        librosa.feature.spectral_flatness(y=y, n_fft=2048, hop_length=hop)
        librosa.feature.rms(y=y, frame_length=2048, hop_length=hop)
        weighted = scipy.signal.sosfilt(k_weighting(rate), y)  # it has no loudness of its own
        librosa.feature.rms(y=weighted, frame_length=round(0.4 * rate), hop_length=hop)
        librosa.onset.onset_detect(y=y, sr=rate)
        librosa.beat.beat_track(y=y, sr=rate)

    row(
        "same features of a 4-minute mono track, against the obvious librosa pipeline, both warm",
        "at least 6x less CPU",
        f"{ratio(theirs, ours, pairs=3):.1f}x less",
    )
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "song.wav"
        path.write_bytes(song(60, channels=1))
        words = [sys.executable, "-m", "fern_tide.cli", "read", str(path), "--reading", "band", "--csv", "/dev/null"]
        first = "import sys, librosa; y, r = librosa.load(sys.argv[1], sr=None); "
        first += "librosa.feature.melspectrogram(y=y, sr=r, n_fft=2048, hop_length=r // 60, n_mels=32)"
        theirs = [sys.executable, "-c", first, str(path)]
        pairs = [(child_cpu(theirs), child_cpu(words)) for _ in range(5)]
    less, (theirs_s, ours_s) = statistics.median(a / b for a, b in pairs), min(pairs)
    said = f"{less:.1f}x less, median of five pairs (the quickest {ours_s:.2f} s against {theirs_s:.2f} s)"
    row("first band of a minute of sound in a fresh process, against the same", "at least 5x less", said)


def child_cpu(words: list[str]) -> float:
    """CPU seconds of a fresh process."""
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    subprocess.run(words, check=True, capture_output=True)
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


class _Found:
    """A source of readings over what was just analyzed."""

    def __init__(self, info: SoundInfo, found: dict[Feature, np.ndarray], grid: FrameGrid) -> None:
        self.info, self.rate, self.n_frames, self.offset_s = info, grid.rate, grid.n_frames, 0.0
        self.get = found.__getitem__


def beat_times() -> None:
    apart = []
    for bpm in (84, 92, 100, 120, 128, 140, 170):
        content, truth = clean_drums(bpm)
        info = measure(io.BytesIO(content))
        grid = FrameGrid(RATE, info.sample_rate_hz, info.n_samples)
        found = analyze(io.BytesIO(content), info, grid=grid, features=[RisesFeature(), AttacksFeature()])
        _, beats = rhythm(found[RisesFeature()], found[AttacksFeature()], sample_rate_hz=info.sample_rate_hz)
        apart += [float(np.abs(beats.times_s - at).min()) * 1000 for at in truth]
    said = f"median {np.median(apart):.1f} ms, 95th percentile {np.percentile(apart, 95):.1f} ms"
    row("beat times on clean drums (made, 84 to 170 BPM) against the truth", "median 2 ms, 95th percentile 5 ms", said)


def hour() -> None:
    with tempfile.TemporaryDirectory() as folder:
        path, rng = Path(folder) / "hour.wav", np.random.default_rng(1)
        minute = (rng.normal(size=(44_100 * 60, 2)) * 0.1).astype(np.float32)
        with soundfile.SoundFile(path, "w", samplerate=44_100, channels=2, subtype="PCM_16") as out:
            for _ in range(60):
                out.write(minute)
        words = [sys.executable, str(HOUR), str(path), f"{folder}/data"]
        said = subprocess.run(words, check=True, capture_output=True, text=True).stdout.split()
    cpu_s, peak_mb = float(said[0]), float(said[1])
    measured = f"{3600 / cpu_s:.0f}x, {peak_mb:.0f} MB"
    row("60-minute WAV at 30 fps, taken in and analyzed as usual", "over 100x real time, peak RSS 350 MB", measured)


def retune() -> None:
    """The runs are apart from each other: a shared machine runs at half its pace for seconds on end."""
    content = song()
    info, spectrum = measure(io.BytesIO(content)), SpectrumFeature(channel=Channel.MID, window=Window.BALANCED)
    grid, edges = FrameGrid(RATE, info.sample_rate_hz, info.n_samples), spectrum.edges_hz(44_100)
    held, n_frames = analyze(io.BytesIO(content), info, grid=grid, features=[spectrum])[spectrum], grid.n_frames
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
        band = band_level(held, edges, low_hz=3_000, high_hz=11_000)
        level = clean(band, clean_up, rate=RATE)
        return value(shaped_lift(level, mapping, context=StepContext(rate=RATE)), drive=drive)

    once()
    times = []
    for _ in range(15):
        times.append(cpu(lambda: [once() for _ in range(10)]) / 10)
        time.sleep(2)
    times.sort()
    best, middle = (seconds * 1000 * 10_000 / n_frames for seconds in (times[0], times[len(times) // 2]))
    values = np.linspace(0.0, 1.0, n_frames).tolist()

    def loop() -> None:
        held = 0.0
        for now in values:
            held += (now - held) * 0.1

    against = ratio(lambda: [once() for _ in range(10)], lambda: [loop() for _ in range(10)])
    what = "retune of one envelope and its mapping, per 10,000 frames"
    said = (
        f"{middle:.1f} ms median of fifteen runs, {best:.1f} ms the fastest; {against:.1f} bare loops over the frames"
    )
    row(what, "at most 3 ms", said)


def baking() -> None:
    scene, n_frames = glasshouse(), 14_400
    targets = [
        Target(part=part.id, property=item.id)
        for part in scene.parts
        for item in part.properties
        if item.kind == "number"
    ]
    lift = 0.5 + 0.5 * np.sin(np.arange(n_frames) / 9.0)
    drives = tuple(Drive(target=target, rest=0.0, full=1.0, response=ResponseChoice(id="smooth")) for target in targets)
    mapping = Mapping(id="a", name="a", envelope="e", marks=Marks(low=0.1, high=0.9), drives=drives)
    copied = np.zeros((len(targets), n_frames))
    per = ratio(lambda: bake(scene, [mapping], lifts={"a": lift}, n_frames=n_frames), copied.copy)
    what = f"bake of {len(targets)} curves x {n_frames} frames from their lift, against copying the same array"
    row(what, "at most 25x (rise and fall and smooth included)", f"{per:.1f}x")


def starting() -> None:
    words = [sys.executable, "-m", "fern_tide.cli", "--help"]
    row("CPU time of `fern-tide --help`", "at most 0.4 s", f"{min(child_cpu(words) for _ in range(3)):.2f} s")


def drift() -> None:
    rate = FrameRate.parse("24000/1001")
    apart = rate.first_sample(24_000 * 60, sample_rate_hz=48_000) - 1_001 * 60 * 48_000
    row("frame grid at 24000/1001 after 60 minutes", "exactly zero drift", f"{apart} samples")


def main() -> None:
    for part in (retune, analysis, against_librosa, beat_times, hour, baking, starting, drift):
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

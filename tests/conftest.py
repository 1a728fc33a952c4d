"""What every test may use: made sounds, frozen arrays, studios in temporary folders."""

from __future__ import annotations

import gc
import io
import os
import shutil

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import settings

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.envelope.envelope import ReadingChoice, needs, read_raw
from fern_tide.core.mapping.step import StepContext
from fern_tide.core.sound.decode import measure
from fern_tide.core.sound.features import analyze
from fern_tide.core.sound.grid import FrameGrid
from fern_tide.jobs.queue import connect
from fern_tide.workflows.bring_in.demo import open_demo
from fern_tide.workflows.studio import Settings, Studio

settings.register_profile("fern", deadline=None, max_examples=40, derandomize=True)
settings.load_profile("fern")


@pytest.hookimpl(trylast=True)
def pytest_collection_finish() -> None:
    """Tests stay until the end: they are not looked through for rubbish again and again."""
    gc.collect()
    gc.freeze()


def wav(samples: np.ndarray, *, rate_hz: int = 48_000, subtype: str = "FLOAT", kind: str = "WAV") -> bytes:
    """Write samples of shape (channels, n) or (n,) as a sound file."""
    out = io.BytesIO()
    soundfile.write(out, np.atleast_2d(samples).T, rate_hz, format=kind, subtype=subtype)
    return out.getvalue()


def sine(hz: float, *, amplitude: float = 0.5, seconds: float = 2.0, rate_hz: int = 48_000) -> np.ndarray:
    """A sine that starts at zero, shape (n,)."""
    return amplitude * np.sin(2 * np.pi * hz * np.arange(round(seconds * rate_hz)) / rate_hz)


def drums(*, seconds: float = 4.0, rate_hz: int = 44_100, seed: int = 5) -> np.ndarray:
    """Low hits every half second over quiet noise, shape (2, n); the hits are 30 dB above the noise."""
    rng = np.random.default_rng(seed)
    n = round(seconds * rate_hz)
    out = rng.normal(size=(2, n)) * 0.003
    t = np.arange(round(0.2 * rate_hz)) / rate_hz
    hit = 0.8 * np.sin(2 * np.pi * 70 * t) * np.exp(-t / 0.06)
    for start in range(round(0.25 * rate_hz), n - hit.size, rate_hz // 2):
        out[:, start : start + hit.size] += hit
    return out


@pytest.fixture
def rate30() -> FrameRate:
    return FrameRate.parse("30")


@pytest.fixture
def context() -> StepContext:
    return StepContext.example()


@pytest.fixture
def drum_lift() -> np.ndarray:
    """Lift of drums: zero between hits, one at some of them; frozen."""
    frames = np.arange(300)
    lift = np.clip(1.3 * np.exp(-(frames % 15) / 4.0) * (0.6 + 0.5 * np.sin(frames / 23.0)) - 0.1, 0.0, 1.0)
    lift.setflags(write=False)
    return lift


@pytest.fixture(scope="session")
def empty_data(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A data folder with nothing in it but its databases."""
    data = tmp_path_factory.mktemp("empty") / "data"
    Studio.open(Settings(data=data)).close()
    return data


@pytest.fixture
def studio(tmp_path: Path, empty_data: Path) -> Studio:
    """A studio whose jobs are done as they are asked for."""
    made = Studio.open(Settings(data=shutil.copytree(empty_data, tmp_path / "data")))
    connect(made, at_once=True)
    yield made
    made.close()


@pytest.fixture(scope="session")
def demo_data(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A data folder in which the demo's sounds are read."""
    data = tmp_path_factory.mktemp("demo") / "data"
    made = Studio.open(Settings(data=data))
    connect(made, at_once=True)
    open_demo(made)
    made.close()
    return data


@pytest.fixture
def demo_key(studio: Studio, demo_data: Path) -> str:
    """The 2D demo in a studio; what was read of its sounds is there already, linked, since such files never change."""
    for kind in ("media", "derived"):
        shutil.copytree(demo_data / kind, studio.settings.data / kind, copy_function=os.link, dirs_exist_ok=True)
    return open_demo(studio).key


class Held:
    """A source of readings for tests: features that were read, and what a test gives it of the project."""

    def __init__(self, info, found, *, rate, n_frames, offset_s=0.0, beats=None, levels=None, points=None, takes=None):
        self.info, self.rate, self.n_frames, self.offset_s = info, rate, n_frames, offset_s
        self._found, self._beats, self._levels, self._points = found, beats, levels or {}, points
        self._takes = takes

    def get(self, feature):
        return self._found[feature]

    def beats(self):
        return self._beats

    def level(self, envelope_id):
        return self._levels[envelope_id]

    def points(self, media):
        return self._points

    def notes(self, media):
        return self._points

    def take(self, media):
        return self._takes[media]


def held(content: bytes, reading, *, rate="30", **more) -> Held:
    """Analyze a sound for what a reading needs of it."""
    info = measure(io.BytesIO(content))
    grid = FrameGrid(FrameRate.parse(rate), info.sample_rate_hz, info.n_samples)
    found = analyze(io.BytesIO(content), info, grid=grid, features=needs(reading, info))
    return Held(info, found, rate=grid.rate, n_frames=more.pop("n_frames", grid.n_frames), **more)


def read(content: bytes, reading: str, rate: str = "30", **more) -> np.ndarray:
    """Read a level out of a sound."""
    choice = ReadingChoice.parse(reading)
    return read_raw(choice, held(content, choice, rate=rate, **more))

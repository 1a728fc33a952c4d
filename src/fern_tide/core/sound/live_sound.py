"""A sound that is still coming: which frames it has reached, and what can be read of them."""

from __future__ import annotations

import math
from collections.abc import Collection

import numpy as np

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.sound.channels import Channel, pick
from fern_tide.core.sound.features import (
    WINDOW_MS,
    BandsFeature,
    Feature,
    LevelsFeature,
    LoudnessFeature,
    PerFrame,
    RisesFeature,
    SpectrumFeature,
    reach_of,
    read_frames,
    samples_of,
)
from fern_tide.core.sound.grid import OneSidedGrid, Samples
from fern_tide.core.sound.levels import Detector, levels
from fern_tide.core.sound.live_rises import NO_RISES, RisesAsTheyCome
from fern_tide.core.sound.running import SILENCE_LUFS, KWeighting

ENDLESS = 2**50  # samples: a sound that nobody has seen the end of


class LiveSound:
    """Takes a sound stretch by stretch and reads the frames that are whole, by windows that end where frames end.

    Args:
        rate: the project's frame rate.
        sample_rate_hz: of the sound.
        channels: how many it has.
    """

    def __init__(self, rate: FrameRate, *, sample_rate_hz: int, channels: int) -> None:
        self.grid = OneSidedGrid(rate, sample_rate_hz, ENDLESS)
        self.channels = channels
        self.first = self.last = 0
        """The frames that became whole with the last stretch: the first, and the one after the last."""
        self._weighting: KWeighting | None = None
        self.look_back(0.0)
        self._rising: RisesAsTheyCome | None = None
        self.rises = self._later = NO_RISES
        """What rose up to the end of the frames that became whole, since what was given before."""
        self._read: dict[PerFrame, Float32Array] = {}

    @property
    def n_frames(self) -> int:
        """How many frames became whole with the last stretch."""
        return self.last - self.first

    def look_back(self, frames: float) -> None:
        """Say, before the first samples, how far back from its end anything looks that is read of a frame."""
        self._back = math.ceil(frames * float(self.grid.sample_rate_hz / self.grid.rate.fps)) + 2
        self._samples: Float32Array = np.zeros((self.channels, self._back), dtype=np.float32)  # silence before
        self._power: FloatArray = np.zeros(self._back)
        self._start = -self._back

    def listen_for(self, features: Collection[Feature]) -> None:
        """Say, before the first samples, what will be asked for: loudness and rises are followed only for that."""
        if any(isinstance(feature, LoudnessFeature) for feature in features):
            self._weighting = KWeighting(self.grid.sample_rate_hz)
        if RisesFeature() in features:
            self._rising = RisesAsTheyCome(self.grid.sample_rate_hz)

    def take(self, samples: Float32Array) -> None:
        """Take the next samples, shape (channels, samples)."""
        keep = max(0, self._edge(self.last) - self._back - self._start)
        self._samples = np.concatenate([self._samples[:, keep:], samples], axis=1)
        if self._weighting is not None:
            self._power = np.concatenate([self._power[keep:], self._weighting.power(samples)])
        self._start += keep
        end = self._start + self._samples.shape[1]
        self.first, self.last = self.last, self.grid.rate.frame_of_sample(end, sample_rate_hz=self.grid.sample_rate_hz)
        if self._rising is not None:
            risen = self._later.with_more(self._rising.add(pick(samples, channel=Channel.MID)))
            self.rises, self._later = risen.parted(self._edge(self.last))
        self._read = {}

    def _edge(self, frame: int) -> int:
        return self.grid.rate.first_sample(frame, sample_rate_hz=self.grid.sample_rate_hz)

    def frames_of(self, samples: Samples) -> Samples:
        """Give which of the frames that became whole own the sample before each, counted from the first of them."""
        rate_hz = self.grid.sample_rate_hz
        frames = [self.grid.rate.frame_of_sample(at - 1, sample_rate_hz=rate_hz) for at in samples.tolist()]
        return np.array(frames, dtype=np.int64) - self.first

    def feature(self, feature: PerFrame) -> Float32Array:
        """Give a feature of the frames that became whole."""
        if feature not in self._read:
            low, high = samples_of([feature], self.grid, first=self.first, last=self.last)
            signals = pick(self._samples[:, low - self._start : high - self._start], channel=feature.channel)
            frames = (self.first, self.last)
            self._read[feature] = read_frames(feature, signals, start=low, grid=self.grid, frames=frames)
        return self._read[feature]

    def loudness(self, feature: LoudnessFeature) -> Float32Array:
        """Give the loudness of the frames that became whole, as 10^(LUFS / 20); shape (frames,)."""
        starts, ends = self.grid.bounds(self.first, self.last, window_ms=WINDOW_MS[feature.window])
        pairs = zip((starts - self._start).tolist(), (ends - self._start).tolist(), strict=True)
        power = np.array([self._power[start:end].mean() for start, end in pairs])
        return np.asarray(np.sqrt(power) * 10.0 ** (SILENCE_LUFS / 20.0), dtype=np.float32)

    def peaks(self, points: int, *, stretch_s: float) -> FloatArray:
        """Give the highest peaks of so many stretches before each frame's end, the earliest first; (points, frames)."""
        ends = self.grid.bounds(self.first, self.last, window_ms=None)[1]
        edges = np.arange(-points, 1)[:, np.newaxis] * (stretch_s * self.grid.sample_rate_hz)
        at = np.round(ends + edges).astype(np.int64) - self._start
        read = levels(self._samples, at[:-1].ravel(), at[1:].ravel(), detector=Detector.PEAK)
        return np.asarray(read.max(axis=0).reshape(points, -1))


def back_of(feature: Feature, *, grid: OneSidedGrid) -> int:
    """Give how many samples before a frame's end a feature reads; 0 of one that is not read of frames."""
    rate_hz = grid.sample_rate_hz
    if isinstance(feature, LoudnessFeature):
        return round(WINDOW_MS[feature.window] * rate_hz / 1000.0)
    if isinstance(feature, LevelsFeature):
        starts, ends = grid.bounds(0, 2, window_ms=feature.window_ms)
        return int((ends - starts).max()) + 1
    return 2 * reach_of(feature, grid) + 1 if isinstance(feature, (SpectrumFeature, BandsFeature)) else 0


def lag_frames(feature: Feature, *, grid: OneSidedGrid) -> float:
    """Give how much later a window that ends with its frame hears a sound than one about the frame's middle does."""
    frame = float(grid.sample_rate_hz / grid.rate.fps)
    return max(0.0, (back_of(feature, grid=grid) - 1) / 2 / frame - 0.5)

"""What an analysis reads out of a track in one pass over its sound, ready to be stored."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from enum import StrEnum
from functools import lru_cache
from typing import BinaryIO, Literal, TypeAlias

import numpy as np

from fern_tide.core.base.errors import Cancelled
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.sound.attacks import Attack, Attacks
from fern_tide.core.sound.band_reading import bands_power
from fern_tide.core.sound.channels import Channel, n_signals, pick
from fern_tide.core.sound.decode import SoundInfo, blocks
from fern_tide.core.sound.grid import FrameGrid
from fern_tide.core.sound.levels import Detector, levels
from fern_tide.core.sound.onsets import RISE_BANDS, Rises, n_rises
from fern_tide.core.sound.running import WAVEFORM_SAMPLES, Loudness, Waveform
from fern_tide.core.sound.spectrum import (
    Part,
    PartReader,
    Window,
    column_edges_hz,
    squared_spectra,
    summed_power,
    transform_for,
    window_samples,
)

VERSION = 4  # of this stage: a change that changes numbers raises it, and stored features are read anew
FRAMES_A_CHUNK = 64


class LevelsFeature(Frozen, frozen=True):
    """A detector's level, one per frame: an array of shape (frames,)."""

    kind: Literal["levels"] = "levels"
    channel: Channel
    detector: Detector
    window_ms: float | None = None


class SpectrumFeature(Frozen, frozen=True):
    """A summed power spectrum per frame, or a part of it: an array of shape (signals, columns + 1, frames)."""

    kind: Literal["spectrum"] = "spectrum"
    channel: Channel
    window: Window
    part: Part = Part.WHOLE

    def edges_hz(self, sample_rate_hz: int) -> FloatArray:
        """Give the columns' frequencies, ascending."""
        n_window = window_samples(self.window, sample_rate_hz=sample_rate_hz)
        return column_edges_hz(n_window, sample_rate_hz=sample_rate_hz, part=self.part)


class BandsFeature(Frozen, frozen=True):
    """The power between each two neighbouring frequencies, read from a spectrum of its own, edges cutting bins.

    An array of shape (signals, bands, frames).
    """

    kind: Literal["bands"] = "bands"
    channel: Channel
    window: Window
    cuts_hz: tuple[float, ...]


class WaveformFeature(Frozen, frozen=True):
    """The lowest and highest sample of every 256, over all channels: an array of shape (2, spans)."""

    kind: Literal["waveform"] = "waveform"


class LoudnessWindow(StrEnum):
    """How long a stretch loudness is measured over: momentary is 400 ms, short-term 3 s."""

    MOMENTARY = "momentary"
    SHORT_TERM = "short_term"


class LoudnessFeature(Frozen, frozen=True):
    """Loudness per frame, its window centred on the frame's middle, as 10^(LUFS / 20): an array of shape (frames,)."""

    kind: Literal["loudness"] = "loudness"
    window: LoudnessWindow


class RisesFeature(Frozen, frozen=True):
    """How far each band rises out of the track's floor: an array of shape (RISE_BANDS, rises); see onsets.py."""

    kind: Literal["rises"] = "rises"


class AttacksFeature(Frozen, frozen=True):
    """Where about every rise the sound sets in most steeply: an array of shape (4, rises); see attacks.py."""

    kind: Literal["attacks"] = "attacks"


WINDOW_MS = {LoudnessWindow.MOMENTARY: 400.0, LoudnessWindow.SHORT_TERM: 3000.0}
Feature: TypeAlias = (
    BandsFeature | LevelsFeature | SpectrumFeature | WaveformFeature | LoudnessFeature | RisesFeature | AttacksFeature
)
OffGrid: TypeAlias = WaveformFeature | RisesFeature | AttacksFeature
"""Features that know nothing of the project's frames, and outlive a change of rate or offset."""
PerFrame: TypeAlias = LevelsFeature | SpectrumFeature | BandsFeature
Listener: TypeAlias = Waveform | Loudness | Rises | Attacks
Progress: TypeAlias = Callable[[float], bool]
"""Called with the share done, 0 to 1; returns False to cancel."""
Allocate: TypeAlias = Callable[[Feature, tuple[int, ...]], Float32Array]
"""Gives an array of zeros of a shape to write a feature into."""


def _in_memory(feature: Feature, shape: tuple[int, ...]) -> Float32Array:
    return np.zeros(shape, dtype=np.float32)


def analyze(
    stream: BinaryIO,
    info: SoundInfo,
    *,
    grid: FrameGrid,
    features: Iterable[Feature],
    progress: Progress = lambda share: True,
    allocate: Allocate = _in_memory,
) -> dict[Feature, Float32Array]:
    """Read all the features in one pass.

    Args:
        stream: the sound, seekable.
        info: as measured.
        grid: the project's frames over this track.
        features: what to read.
        progress: told the share done after each chunk of frames.
        allocate: where each feature's array comes from, such as a file for sounds of hours.

    Raises:
        Cancelled: progress said False.
        UnreadableSound: the stream breaks off.
    """
    wanted = tuple(dict.fromkeys(features))
    stores = {feature: allocate(feature, _shape(feature, info, grid)) for feature in wanted}
    running = [
        _running(feature, stores[feature], grid, info.layout) for feature in wanted if not isinstance(feature, PerFrame)
    ]
    feed = _Feed(stream, info, running)
    per_frame = [feature for feature in wanted if isinstance(feature, PerFrame)]
    for first in range(0, grid.n_frames, FRAMES_A_CHUNK):
        last = min(first + FRAMES_A_CHUNK, grid.n_frames)
        low, high = samples_of(per_frame, grid, first=first, last=last)
        block, start = feed.between(low, high), low
        channels = {feature.channel for feature in per_frame}
        signals = {channel: pick(block, channel=channel) for channel in channels}
        for feature in per_frame:
            read = read_frames(feature, signals[feature.channel], start=start, grid=grid, frames=(first, last))
            stores[feature][..., first:last] = read
        if not progress(last / grid.n_frames):
            raise Cancelled
    feed.rest()
    return stores


def _running(feature: Feature, out: Float32Array, grid: FrameGrid, layout: tuple[str, ...]) -> Listener:
    if isinstance(feature, LoudnessFeature):
        starts, ends = grid.bounds(0, grid.n_frames, window_ms=WINDOW_MS[feature.window])
        return Loudness(out, starts=starts, ends=ends, sample_rate_hz=grid.sample_rate_hz, layout=layout)
    if isinstance(feature, RisesFeature):
        return Rises(out, sample_rate_hz=grid.sample_rate_hz, transform=transform_for(grid.n_samples))
    if isinstance(feature, AttacksFeature):
        return Attacks(out, sample_rate_hz=grid.sample_rate_hz)
    return Waveform(out)


def _shape(feature: Feature, info: SoundInfo, grid: FrameGrid) -> tuple[int, ...]:
    if isinstance(feature, (LevelsFeature, LoudnessFeature)):
        return (grid.n_frames,)
    if isinstance(feature, WaveformFeature):
        return (2, -(-info.n_samples // WAVEFORM_SAMPLES))
    if isinstance(feature, (RisesFeature, AttacksFeature)):
        rows = RISE_BANDS if isinstance(feature, RisesFeature) else len(Attack)
        return (rows, n_rises(info.n_samples, sample_rate_hz=info.sample_rate_hz))
    cuts = feature.cuts_hz[1:] if isinstance(feature, BandsFeature) else feature.edges_hz(info.sample_rate_hz)
    rows = len(cuts)
    return (n_signals(info.channels, channel=feature.channel), rows, grid.n_frames)


def samples_of(features: Iterable[PerFrame], grid: FrameGrid, *, first: int, last: int) -> tuple[int, int]:
    """Give the first sample that any feature reads for frames first..last-1, and the one after the last."""
    low, high = grid.bounds(first, last, window_ms=None)
    lows, highs = [int(low[0])], [int(high[-1])]
    for feature in features:
        if isinstance(feature, LevelsFeature) and feature.window_ms is not None:
            low, high = grid.bounds(first, last, window_ms=feature.window_ms)
            lows.append(int(low[0]))
            highs.append(int(high[-1]))
        elif not isinstance(feature, LevelsFeature):
            reach = reach_of(feature, grid)
            centres = grid.centres(first, last, reach=reach)
            lows.append(int(centres[0]) - reach)
            highs.append(int(centres[-1]) + reach)
    return min(lows), max(highs)


def reach_of(feature: SpectrumFeature | BandsFeature, grid: FrameGrid) -> int:
    """Give how many samples before and after a window's middle a spectrum reads."""
    if isinstance(feature, SpectrumFeature) and feature.part is not Part.WHOLE:
        return _part_reader(feature, grid.sample_rate_hz, grid.n_samples).reach
    return window_samples(feature.window, sample_rate_hz=grid.sample_rate_hz) // 2


@lru_cache(maxsize=64)
def _part_reader(feature: SpectrumFeature, sample_rate_hz: int, n_samples: int) -> PartReader:
    n_window = window_samples(feature.window, sample_rate_hz=sample_rate_hz)
    return PartReader(n_window, feature.edges_hz(sample_rate_hz), sample_rate_hz, transform_for(n_samples))


def read_frames(
    feature: PerFrame, signals: Float32Array, *, start: int, grid: FrameGrid, frames: tuple[int, int]
) -> Float32Array:
    """Read a feature of some frames.

    Args:
        feature: what to read.
        signals: what its channel picks of the sound, shape (signals, samples).
        start: where they begin in the sound; all that samples_of names must be there.
        grid: says where the frames' windows lie.
        frames: the first, and the one after the last.

    Returns:
        The feature's array of those frames.
    """
    if isinstance(feature, LevelsFeature):
        lows, highs = grid.bounds(*frames, window_ms=feature.window_ms)
        lows, highs = np.clip(lows, 0, grid.n_samples), np.clip(highs, 0, grid.n_samples)
        read = levels(signals, lows - start, highs - start, detector=feature.detector)
        return np.asarray(read.max(axis=0), dtype=np.float32)
    centres = grid.centres(*frames, reach=reach_of(feature, grid)) - start
    if isinstance(feature, SpectrumFeature) and feature.part is not Part.WHOLE:
        return _part_reader(feature, grid.sample_rate_hz, grid.n_samples)(signals, centres, start=start)
    n_window = window_samples(feature.window, sample_rate_hz=grid.sample_rate_hz)
    transform = transform_for(grid.n_samples)
    if isinstance(feature, SpectrumFeature):
        return summed_power(signals, centres, n_window=n_window, transform=transform)
    squares = squared_spectra(signals, centres, n_window=n_window, transform=transform)
    return bands_power(squares, cuts_hz=feature.cuts_hz, sample_rate_hz=grid.sample_rate_hz)


class _Feed:
    """Samples of a stream by position, read once and forgotten once passed; outside the sound there is silence."""

    def __init__(self, stream: BinaryIO, info: SoundInfo, running: Sequence[Listener]) -> None:
        self._blocks = blocks(stream)
        self._info = info
        self._buffer: Float32Array = np.zeros((info.channels, 0), dtype=np.float32)
        self._start = 0
        self._running = running

    def between(self, low: int, high: int) -> Float32Array:
        """Give samples low..high-1; low must not go back by more than what the last call was given."""
        low_held, high_held = max(low, 0), max(high, 0)
        while self._start + self._buffer.shape[1] < high_held and (block := next(self._blocks, None)) is not None:
            keep = max(0, min(low_held - self._start, self._buffer.shape[1]))
            self._look(block)
            self._buffer = np.concatenate([self._buffer[:, keep:], block], axis=1)
            self._start += keep
        out = np.zeros((self._info.channels, high - low), dtype=np.float32)
        begin, end = max(low, self._start), min(high, self._start + self._buffer.shape[1])
        if end > begin:
            out[:, begin - low : end - low] = self._buffer[:, begin - self._start : end - self._start]
        return out

    def rest(self) -> None:
        """Read to the end, for what every sample counts for."""
        for block in self._blocks:
            self._look(block)
        for listener in self._running:
            listener.finish()

    def _look(self, block: Float32Array) -> None:
        for listener in self._running:
            listener.add(block)

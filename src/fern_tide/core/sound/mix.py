"""Tracks mixed into one stereo sound, block by block, each brought to one sample rate."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from math import ceil, floor
from typing import BinaryIO

import numpy as np

from fern_tide.core.base.signal import Float32Array
from fern_tide.core.sound.decode import SoundInfo, blocks

VERSION = 2
BLOCK = 1 << 16
_MARGIN = 64  # samples on each side of a block that its resampling looks at, per step of the ratio
FASTEST_HEARD_HZ = 96_000


@dataclass(frozen=True)
class MixTrack:
    """A sound to be mixed.

    Attributes:
        stream: opened for reading.
        info: what it holds.
        offset_samples: how much later it begins, in its own samples.
        gain: what its samples are multiplied by.
    """

    stream: BinaryIO
    info: SoundInfo
    offset_samples: int = 0
    gain: float = 1.0


def mix_rate_hz(infos: Sequence[SoundInfo]) -> int:
    """Give the rate to mix at: the highest of the sounds, at most 96 kHz."""
    return min(FASTEST_HEARD_HZ, max(info.sample_rate_hz for info in infos))


def mix_blocks(tracks: Sequence[MixTrack], *, rate_hz: int, n_samples: int) -> Iterator[Float32Array]:
    """Mix tracks.

    Args:
        tracks: read from their starts.
        rate_hz: of the mix.
        n_samples: the mix's length; what lies outside is left out, where no track is there is silence.

    Yields:
        Arrays of shape (2, samples), clipped to full scale.
    """
    sources = [_Source(track, rate_hz) for track in tracks]
    for start in range(0, n_samples, BLOCK):
        length = min(BLOCK, n_samples - start)
        total = np.zeros((2, length), dtype=np.float32)
        for source in sources:
            total += source.read(start, length) * np.float32(source.gain)
        yield np.clip(total, -1.0, 1.0)


class _Source:
    """One track as stereo at the mix's rate, by position."""

    def __init__(self, track: MixTrack, rate_hz: int) -> None:
        self._blocks = blocks(track.stream)
        self._ratio = Fraction(rate_hz, track.info.sample_rate_hz)
        self._offset = track.offset_samples
        self.gain = track.gain
        self._buffer: Float32Array = np.zeros((2, 0), dtype=np.float32)
        self._start = 0

    def read(self, start: int, length: int) -> Float32Array:
        """Give samples start..start+length-1 of the mix; starts must not go back."""
        if self._ratio == 1:
            return self._own(start - self._offset, length)
        from scipy.signal import resample_poly  # slow to import

        up, down = self._ratio.numerator, self._ratio.denominator
        margin = _MARGIN * max(1, ceil(down / up))
        first = floor(Fraction(start) / self._ratio) - margin
        first -= first % down  # so that the block begins on a whole sample of the mix
        last = ceil(Fraction(start + length) / self._ratio) + margin
        taken = self._own(first - self._offset, last - first)
        resampled = resample_poly(taken, up, down, axis=1)
        at = start - first * up // down
        return np.asarray(resampled[:, at : at + length], dtype=np.float32)

    def _own(self, low: int, length: int) -> Float32Array:
        high = low + length
        while self._start + self._buffer.shape[1] < high and (block := next(self._blocks, None)) is not None:
            keep = max(0, min(low - self._start, self._buffer.shape[1]))
            stereo = np.stack([block[0], block[min(1, len(block) - 1)]])
            self._buffer = np.concatenate([self._buffer[:, keep:], stereo], axis=1)
            self._start += keep
        out = np.zeros((2, length), dtype=np.float32)
        begin, end = max(low, self._start), min(high, self._start + self._buffer.shape[1])
        if end > begin:
            out[:, begin - low : end - low] = self._buffer[:, begin - self._start : end - self._start]
        return out

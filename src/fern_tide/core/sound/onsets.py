"""What hits and beats are found in, read on a grid of its own: how fast the spectrum rises."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.sound.channels import Channel, pick
from fern_tide.core.sound.spectrum import Transform, Window, squared_spectra, window_samples

RISES_A_SECOND = 100
RISE_BANDS = 16
LOWEST_HZ, HIGHEST_HZ = 30.0, 16_000.0
_LAG = 1  # hops that a rise is measured over
_KNEE = 1_000.0  # amplitudes are compressed as log(1 + 1000 a): what is below -60 dB hardly counts
_CHUNK = 64


def rise_hop(sample_rate_hz: int) -> int:
    """Give the samples from one rise to the next: about 10 ms."""
    return max(1, round(sample_rate_hz / RISES_A_SECOND))


def n_rises(n_samples: int, *, sample_rate_hz: int) -> int:
    """Count the rises of a sound; rise k is that of the window centred on sample k * rise_hop."""
    return -(-n_samples // rise_hop(sample_rate_hz))


def rise_edges_hz() -> FloatArray:
    """Give the edges of the bands whose rise is read, evenly spaced in octaves, shape (RISE_BANDS + 1,)."""
    return np.geomspace(LOWEST_HZ, HIGHEST_HZ, RISE_BANDS + 1)


class Rises:
    """How much each band's compressed level rose within 10 ms, written into an array of shape (RISE_BANDS, rises).

    This is spectral flux, half-wave rectified, on log-compressed magnitudes (S. Dixon, 'Onset detection revisited',
    2006; S. Boeck and G. Widmer, 'Maximum filter vibrato suppression for onset detection', 2013, for the lag).
    """

    def __init__(self, out: Float32Array, *, sample_rate_hz: int, transform: Transform) -> None:
        self._out, self._transform = out, transform
        self._hop = rise_hop(sample_rate_hz)
        self._n_window = window_samples(Window.TIGHT, sample_rate_hz=sample_rate_hz)
        self._bands = _filters(self._n_window, sample_rate_hz)
        half = self._n_window // 2
        self._held: Float32Array = np.zeros((1, half), dtype=np.float32)  # silence before the start
        self._start = -half
        self._done = 0
        self._before: Float32Array = np.zeros((_LAG, RISE_BANDS), dtype=np.float32)

    def add(self, block: Float32Array) -> None:
        """Take the next block, shape (channels, samples)."""
        self._held = np.concatenate([self._held, pick(block, channel=Channel.MID)], axis=1)
        self._read(self._start + self._held.shape[1])

    def finish(self) -> None:
        """Read the last windows, with silence after the end."""
        tail = np.zeros((1, self._n_window), dtype=np.float32)
        self._held = np.concatenate([self._held, tail], axis=1)
        self._read(self._start + self._held.shape[1])

    def _read(self, end: int) -> None:
        half = self._n_window // 2
        while self._done < self._out.shape[1]:
            last = min(self._done + _CHUNK, self._out.shape[1], (end - half) // self._hop + 1)
            if last <= self._done:
                break
            middles = np.arange(self._done, last, dtype=np.int64) * self._hop - self._start
            squares = squared_spectra(self._held, middles, n_window=self._n_window, transform=self._transform)[0]
            power = squares[:, : len(self._bands)] @ self._bands
            levels = np.concatenate([self._before, np.log1p(_KNEE * np.sqrt(power))])
            self._out[:, self._done : last] = np.maximum(levels[_LAG:] - levels[:-_LAG], 0.0).T
            self._before, self._done = levels[-_LAG:], last
        keep = max(0, self._done * self._hop - half - self._start)
        self._held, self._start = self._held[:, keep:], self._start + keep


@lru_cache(maxsize=16)
def _filters(n_window: int, sample_rate_hz: int) -> Float32Array:
    """Give which share of each bin lies in each band, twice in turn for its two squares, up to the highest band."""
    bin_hz = sample_rate_hz / n_window
    lower = np.maximum(np.arange(n_window // 2 + 1) - 0.5, 0.0) * bin_hz
    upper = (np.arange(n_window // 2 + 1) + 0.5) * bin_hz
    edges = rise_edges_hz()
    covered = np.minimum(upper[:, None], edges[1:]) - np.maximum(lower[:, None], edges[:-1])
    shares = np.maximum(covered, 0.0) / (upper - lower)[:, None]
    return np.asarray(np.repeat(shares[lower < edges[-1]], 2, axis=0), dtype=np.float32)

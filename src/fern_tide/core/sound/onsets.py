"""What hits and beats are found in, read on a grid of its own: how fast the spectrum rises."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.sound.channels import Channel, pick
from fern_tide.core.sound.spectrum import Transform, Window, squared_spectra, window_samples

RISES_A_SECOND = 100
RISE_BANDS = 32
LOWEST_HZ, HIGHEST_HZ = 30.0, 16_000.0
BEFORE = (2, 3, 4)  # hops: a rise is what a level has gained on the highest of these
FLOOR_PERCENTILE = 35.0
_ABOVE_NOISE = 3.0  # times what noise alone seldom gets to
_SELDOM = 0.999
LEAST_POWER = 1e-10  # -100 dB: what is quieter is silence
LEAST_SHARE = 1e-6  # of the loudest band's power: what is 60 dB quieter hardly counts
_BINS_A_VALUE = 1.5  # neighbouring bins of a Hann window are alike
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
    """How far each band rises out of the track's own floor, written into an array of shape (RISE_BANDS, rises).

    A band's level is log10(1 + power / (3 q floor)), its floor the 35th percentile of its power over the whole track,
    and q how far above that noise alone gets once in a thousand times: so steady noise has hardly a level to rise from,
    in narrow bands as in wide ones, and a few hits over it stand out. Its rise is what the level has gained on the
    highest of 20 to 40 ms before (spectral flux with a maximum over time, after S. Boeck and G. Widmer, 'Maximum filter
    vibrato suppression for onset detection', 2013).
    """

    def __init__(self, out: Float32Array, *, sample_rate_hz: int, transform: Transform) -> None:
        self._out, self._transform, self._rate_hz = out, transform, sample_rate_hz
        self._hop = rise_hop(sample_rate_hz)
        self._n_window = window_samples(Window.TIGHT, sample_rate_hz=sample_rate_hz)
        self._bands = band_filters(self._n_window, sample_rate_hz)
        half = self._n_window // 2
        self._buffer: Float32Array = np.zeros((1, half), dtype=np.float32)  # silence before the start
        self._start = -half
        self._done = 0

    def add(self, block: Float32Array) -> None:
        """Take the next block, shape (channels, samples)."""
        self._buffer = np.concatenate([self._buffer, pick(block, channel=Channel.MID)], axis=1)
        self._read(self._start + self._buffer.shape[1])

    def end_at(self, n: int) -> None:
        """Say how many rises the sound has, where that was not known before."""
        self._out = self._out[:, :n]

    def finish(self) -> None:
        """Read the last windows, with silence after the end, then turn powers into rises."""
        tail = np.zeros((1, self._n_window), dtype=np.float32)
        self._buffer = np.concatenate([self._buffer, tail], axis=1)
        self._read(self._start + self._buffer.shape[1])
        if not self._out.shape[1]:
            return
        least = max(LEAST_POWER, LEAST_SHARE * float(self._out.max()))
        for band, above in zip(self._out, above_floor(self._rate_hz), strict=True):
            band[:] = risen(band, least=least, above=float(above))

    def _read(self, end: int) -> None:
        half = self._n_window // 2
        while self._done < self._out.shape[1]:
            last = min(self._done + _CHUNK, self._out.shape[1], (end - half) // self._hop + 1)
            if last <= self._done:
                break
            middles = np.arange(self._done, last, dtype=np.int64) * self._hop - self._start
            squares = squared_spectra(self._buffer, middles, n_window=self._n_window, transform=self._transform)[0]
            self._out[:, self._done : last] = (squares[:, : len(self._bands)] @ self._bands).T
            self._done = last
        keep = max(0, self._done * self._hop - half - self._start)
        self._buffer, self._start = self._buffer[:, keep:], self._start + keep


def risen(power: Float32Array, *, least: float, above: float) -> Float32Array:
    """Give a band's rises from its power over the whole track, shape (rises,).

    Args:
        power: shape (rises,).
        least: the lowest that its floor can be.
        above: how many times its floor's power a level must be to count. Before the start it is as quiet as the floor.
    """
    counts = above * max(float(np.percentile(power, FLOOR_PERCENTILE)), least)
    reach, n = max(BEFORE), len(power)
    levels = np.concatenate([np.full(reach, np.log1p(1.0 / above)), np.log1p(power / counts)]) / np.log(10.0)
    before = np.max([levels[reach - lag : reach - lag + n] for lag in BEFORE], axis=0)
    return np.asarray(np.maximum(levels[reach:] - before, 0.0), dtype=np.float32)


def band_freedom(sample_rate_hz: int) -> FloatArray:
    """Give how many independent values of noise each band's power is made of, at least 1; shape (RISE_BANDS,)."""
    n_window = window_samples(Window.TIGHT, sample_rate_hz=sample_rate_hz)
    shares = band_filters(n_window, sample_rate_hz)[::2].astype(float)
    bins = shares.sum(axis=0) ** 2 / np.maximum((shares**2).sum(axis=0), 1e-12)
    return np.asarray(np.maximum(bins / _BINS_A_VALUE, 1.0))


@lru_cache(maxsize=16)
def above_floor(sample_rate_hz: int) -> FloatArray:
    """Give how many times its floor's power each band must have to count, shape (RISE_BANDS,).

    The power of noise in a band is distributed as a gamma variable with the band's freedom as its shape.
    """
    from scipy.special import gammaincinv

    freedom = band_freedom(sample_rate_hz)
    q = gammaincinv(freedom, _SELDOM) / gammaincinv(freedom, FLOOR_PERCENTILE / 100.0)
    return np.asarray(_ABOVE_NOISE * q)


@lru_cache(maxsize=16)
def band_filters(n_window: int, sample_rate_hz: int) -> Float32Array:
    """Give which share of each bin lies in each band, twice in turn for its two squares, up to the highest band."""
    bin_hz = sample_rate_hz / n_window
    lower = np.maximum(np.arange(n_window // 2 + 1) - 0.5, 0.0) * bin_hz
    upper = (np.arange(n_window // 2 + 1) + 0.5) * bin_hz
    edges = rise_edges_hz()
    covered = np.minimum(upper[:, None], edges[1:]) - np.maximum(lower[:, None], edges[:-1])
    shares = np.maximum(covered, 0.0) / (upper - lower)[:, None]
    return np.asarray(np.repeat(shares[lower < edges[-1]], 2, axis=0), dtype=np.float32)

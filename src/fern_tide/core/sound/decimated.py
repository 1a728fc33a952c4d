"""The lows of a sound at a lower rate: what lies below a frequency, with a fraction of the samples."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np

from fern_tide.core.base.signal import Float32Array, FloatArray, spans

_ROOM = 2.4  # the lower rate over the highest frequency kept: what is left above is where the filter falls
_STOPPED_DB = 120.0  # what would fold back into the lows is this much quieter
_OUT_AT_ONCE = 32  # samples made by one row of the product: more copy less and multiply more


@dataclass(frozen=True, eq=False)
class Decimation:
    """A low-pass filter and the share of samples that is kept behind it.

    Attributes:
        factor: one sample of so many is kept; a power of two.
        taps: the filter, symmetric, its gain below the kept frequency 1 within 1e-5; shape (taps,), an odd number.
    """

    factor: int
    taps: FloatArray

    @property
    def before(self) -> int:
        """The samples before a kept one that it is made of."""
        return len(self.taps) // 2

    @property
    def after(self) -> int:
        """The samples after the last kept one that must be there: kept samples are made so many at once."""
        return self.before + self.factor * (_OUT_AT_ONCE - 1)

    @cached_property
    def _matrix(self) -> Float32Array:
        """The filter moved on by one kept sample per column: a span of sound times this is its kept samples."""
        matrix = np.zeros((self.factor * (_OUT_AT_ONCE - 1) + len(self.taps), _OUT_AT_ONCE), dtype=np.float32)
        for column in range(_OUT_AT_ONCE):
            matrix[column * self.factor : column * self.factor + len(self.taps), column] = self.taps
        return matrix

    def __call__(self, x: Float32Array, *, first: int, count: int) -> Float32Array:
        """Give count samples of the lower rate, the first at sample `first` of x, shape (signals, count).

        Args:
            x: shape (signals, samples), `before` and `after` included.
            first: a sample of x.
            count: how many samples to give.

        Raises:
            ValueError: what lies outside x would be needed.
        """
        rows, step = -(-count // _OUT_AT_ONCE), self.factor * _OUT_AT_ONCE
        whole = spans(x, length=len(self._matrix), first=first - self.before, step=step, count=rows)
        decimated = np.ascontiguousarray(whole) @ self._matrix
        return np.asarray(decimated.reshape(len(x), -1)[:, :count])


@lru_cache(maxsize=64)
def decimation(highest_hz: float, *, sample_rate_hz: int) -> Decimation:
    """Give the decimation by the largest power of two that keeps all up to a frequency.

    The filter is a Kaiser-windowed sinc (J. F. Kaiser, 'Nonrecursive digital filter design using the I0-sinh window
    function', 1974), as long as its fall from the kept frequency to where folding would reach it asks for.
    """
    factor = int(2 ** max(0, np.floor(np.log2(sample_rate_hz / (_ROOM * highest_hz)))))
    if factor == 1:
        return Decimation(1, np.ones(1))
    fall = 2.0 * np.pi * (sample_rate_hz / factor - 2.0 * highest_hz) / sample_rate_hz
    half = int(np.ceil((_STOPPED_DB - 7.95) / (2.285 * fall) / 2.0))
    at = np.arange(-half, half + 1)
    taps = np.sinc(at / factor) * np.kaiser(2 * half + 1, 0.1102 * (_STOPPED_DB - 8.7))
    return Decimation(factor, taps / taps.sum())

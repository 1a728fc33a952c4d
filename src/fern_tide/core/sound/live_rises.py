"""How fast the spectrum rises while a sound comes: what hits are found in, with nothing of the future."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.sound.grid import Samples
from fern_tide.core.sound.onsets import (
    BEFORE,
    FLOOR_PERCENTILE,
    LEAST_POWER,
    LEAST_SHARE,
    RISE_BANDS,
    RISES_A_SECOND,
    above_floor,
    band_filters,
    rise_hop,
)
from fern_tide.core.sound.spectrum import Window, squared_spectra, transform_for, window_samples

FLOOR_S = 10.0  # the floor is that of so many last seconds
_HOPS_A_FLOOR = 10  # it is looked at anew every so many hops
_MOST = round(FLOOR_S * RISES_A_SECOND)


@dataclass(frozen=True)
class LiveRises:
    """What rose in a stretch, hop by hop; a hop is there when the window about it has come.

    Attributes:
        rises: how far each band rose, shape (RISE_BANDS, hops).
        powers: of all bands together, shape (hops,).
        ends: the sample after the last that each hop's window covers, shape (hops,).
    """

    rises: Float32Array
    powers: FloatArray
    ends: Samples

    def with_more(self, more: LiveRises) -> LiveRises:
        """Give these and those that come after them."""
        rises = np.concatenate([self.rises, more.rises], axis=1)
        return LiveRises(rises, np.concatenate([self.powers, more.powers]), np.concatenate([self.ends, more.ends]))

    def parted(self, sample: int) -> tuple[LiveRises, LiveRises]:
        """Give those whose windows end by a sample, and the others."""
        at = int(np.searchsorted(self.ends, sample, side="right"))
        first = LiveRises(self.rises[:, :at], self.powers[:at], self.ends[:at])
        return first, LiveRises(self.rises[:, at:], self.powers[at:], self.ends[at:])


NO_RISES = LiveRises(np.zeros((RISE_BANDS, 0), dtype=np.float32), np.zeros(0), np.zeros(0, dtype=np.int64))


class RisesAsTheyCome:
    """Reads rises as core/sound/onsets.py has them, but each band's floor is that of the last ten seconds.

    The floor is looked at at hops 0, 10, 20 and so on, whatever the stretches, so that it is the same for all.
    """

    def __init__(self, sample_rate_hz: int) -> None:
        self._hop, self._transform = rise_hop(sample_rate_hz), transform_for(0)
        self._n_window = window_samples(Window.TIGHT, sample_rate_hz=sample_rate_hz)
        self._bands = band_filters(self._n_window, sample_rate_hz)
        self._above = above_floor(sample_rate_hz)[:, np.newaxis]
        half = self._n_window // 2
        self._buffer: Float32Array = np.zeros((1, half), dtype=np.float32)  # silence before the start
        self._start, self._done = -half, 0
        self._powers: Float32Array = np.zeros((RISE_BANDS, 0), dtype=np.float32)
        self._loudest = 0.0
        self._counts: FloatArray = np.zeros((RISE_BANDS, 1))

    def add(self, mid: Float32Array) -> LiveRises:
        """Take the next samples, shape (1, samples), and give what rose in them."""
        self._buffer = np.concatenate([self._buffer, mid], axis=1)
        half, end = self._n_window // 2, self._start + self._buffer.shape[1]
        last = max(self._done, (end - half) // self._hop + 1)
        hops = np.arange(self._done, last, dtype=np.int64)
        powers = np.zeros((RISE_BANDS, 0), dtype=np.float32)
        if len(hops):
            centres = hops * self._hop - self._start
            squares = squared_spectra(self._buffer, centres, n_window=self._n_window, transform=self._transform)[0]
            powers = (squares[:, : len(self._bands)] @ self._bands).T
        self._powers = np.concatenate([self._powers, powers], axis=1)
        groups = np.split(hops, np.flatnonzero(hops[1:] % _HOPS_A_FLOOR == 0) + 1)
        first = last - self._powers.shape[1]
        rises = [self._risen(group, first) for group in groups if len(group)]
        self._powers = self._powers[:, -_MOST + 1 :]
        self._done = last
        keep = max(0, last * self._hop - half - self._start)
        self._buffer, self._start = self._buffer[:, keep:], self._start + keep
        joined = np.concatenate(rises, axis=1) if rises else np.zeros((RISE_BANDS, 0))
        return LiveRises(joined.astype(np.float32), powers.sum(axis=0, dtype=np.float64), hops * self._hop + half)

    def _risen(self, hops: Samples, first: int) -> FloatArray:
        """Give the rises of hops that share a floor, shape (RISE_BANDS, hops).

        Args:
            hops: some in a row.
            first: the hop of the first power that is stored.
        """
        start, end = int(hops[0]) - first, int(hops[-1]) - first + 1
        if hops[0] % _HOPS_A_FLOOR == 0:
            self._look_at_floor(self._powers[:, : start + 1])
        reach = max(BEFORE)
        levels = np.log1p(self._powers[:, max(0, start - reach) : end] / self._counts)
        missing = np.repeat(np.log1p(1.0 / self._above), max(0, reach - start), axis=1)
        levels = np.concatenate([missing, levels], axis=1) / np.log(10.0)
        before = np.max([levels[:, reach - lag : reach - lag + len(hops)] for lag in BEFORE], axis=0)
        return np.asarray(np.maximum(levels[:, reach:] - before, 0.0))

    def _look_at_floor(self, powers: Float32Array) -> None:
        """Take what was heard until now, shape (RISE_BANDS, hops), as what the next hops are held against."""
        self._loudest = max(self._loudest, float(powers[:, -_HOPS_A_FLOOR:].max()))
        floors = np.percentile(powers[:, -_MOST:], FLOOR_PERCENTILE, axis=1, keepdims=True)
        self._counts = self._above * np.maximum(floors, max(LEAST_POWER, LEAST_SHARE * self._loudest))

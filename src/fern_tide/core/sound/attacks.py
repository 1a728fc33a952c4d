"""Where in every hundredth of a second a sound sets in most steeply, to the sample."""

from __future__ import annotations

from enum import IntEnum

import numpy as np

from fern_tide.core.base.signal import Float32Array, FloatArray, spans
from fern_tide.core.sound.channels import Channel, pick
from fern_tide.core.sound.grid import Samples
from fern_tide.core.sound.onsets import rise_hop

_SPAN = 16  # samples: the steepness is read at every span's beginning
_SPANS_BEFORE, _SPANS_AFTER = 8, 6
_AROUND = 3  # hops to each side whose loudest span says what is quiet
_QUIET = 1e-3  # of its power
_SILENT = 1e-14
_SEARCH_BEFORE, _SEARCH_AFTER = 48, 64  # samples about the steepest place in which the first loud one is looked for
_NOISE_SAMPLES = 128  # before those: what was there before
_OUT_OF_NOISE, _OF_PEAK = 1.3, 0.08


class Attack(IntEnum):
    """The rows of what is read: sample and steepness of the climb, and the power of the sound and of its highs."""

    SAMPLE = 0
    CLIMB = 1
    POWER = 2
    HIGH_POWER = 3


class Attacks:
    """The steepest climb about every rise, written into an array of shape (4, rises); rows as Attack names them.

    The climb is that of the sound itself or of its highs, whichever is steeper: the highs are the differences of
    neighbouring samples, in which a pluck shows over a hum. The steepness is the logarithm of the power of 96 samples
    over that of the 128 before. The sample, counted from k * rise_hop, is the first that is clearly louder than what
    was before it, so that it is never early.
    """

    def __init__(self, out: Float32Array, *, sample_rate_hz: int) -> None:
        self._out, self._hop = out, rise_hop(sample_rate_hz)
        self._margin = (_AROUND + 2) * self._hop + 512  # samples on each side of a hop that are looked at
        self._buffer: Float32Array = np.zeros((1, self._margin), dtype=np.float32)
        self._start = -self._margin
        self._done = 0

    def add(self, block: Float32Array) -> None:
        """Take the next block, shape (channels, samples)."""
        self._buffer = np.concatenate([self._buffer, pick(block, channel=Channel.MID)], axis=1)
        self._read(self._start + self._buffer.shape[1] - self._margin)

    def end_at(self, n: int) -> None:
        """Say how many rises the sound has, where that was not known before."""
        self._out = self._out[:, :n]

    def finish(self) -> None:
        """Read the last hops, with silence after the end."""
        tail = np.zeros((1, 2 * self._margin + self._hop), dtype=np.float32)
        self._buffer = np.concatenate([self._buffer, tail], axis=1)
        self._read(self._start + self._buffer.shape[1] - self._margin)

    def _read(self, end: int) -> None:
        """Read the hops that lie before a sample, all of whose margins are held."""
        first, last = self._done, min(self._out.shape[1], end // self._hop)
        if last <= first:
            return
        begin = first * self._hop - self._margin - self._start
        x = self._buffer[0, begin : last * self._hop + self._margin - self._start]
        high = np.diff(x, prepend=x[:1])
        places, climbs, powers = zip(
            *(_steepest(it, self._margin, self._hop, last - first) for it in (x, high)), strict=True
        )
        of_high = climbs[1] > climbs[0]
        middles = self._margin + np.arange(last - first) * self._hop
        loud = np.where(of_high[:, None], _near(high, places[1]), _near(x, places[0]))
        samples = _first_loud(np.abs(loud), np.where(of_high, places[1], places[0])) - middles
        self._out[:, first:last] = samples, np.maximum(*climbs), *powers
        self._done = last
        keep = last * self._hop - self._margin - self._start
        self._buffer, self._start = self._buffer[:, keep:], self._start + keep


def _steepest(x: Float32Array, margin: int, hop: int, n: int) -> tuple[Samples, FloatArray, FloatArray]:
    """Give for every hop the sample at which it climbs most steeply, how steeply, and its power; shapes (hops,).

    Args:
        x: shape (samples,); the first hop's middle is at the margin.
        margin: samples before the first hop's middle, and after the last one's.
        hop: samples from one middle to the next.
        n: how many hops.
    """
    whole = len(x) // _SPAN
    samples = x[: whole * _SPAN].reshape(whole, _SPAN)
    powers = np.einsum("ws,ws->w", samples, samples) / np.float32(_SPAN)
    total = np.concatenate([[0.0], np.cumsum(powers, dtype=np.float64)])
    length = -(-hop // _SPAN)
    loudest = np.maximum.reduceat(powers, np.arange(0, whole, length))  # of a hop's length of spans
    around = _loudest_around(loudest, _AROUND)
    quiet = np.repeat(_QUIET * around + _SILENT, length)[: whole - _SPANS_AFTER + 1]
    after = (total[_SPANS_AFTER:] - total[:-_SPANS_AFTER]) / _SPANS_AFTER + quiet
    before = (total[_SPANS_BEFORE:] - total[:-_SPANS_BEFORE]) / _SPANS_BEFORE
    at = slice(_SPANS_BEFORE, len(after))
    steep = np.ones(len(after))
    steep[at] = after[at] / (before[: len(after) - _SPANS_BEFORE] + quiet[at])
    starts = -(-(margin + np.arange(n) * hop - hop // 2) // _SPAN)
    here = starts[:, None] + np.arange(length)
    climbs = steep[here]
    best, rows = climbs.argmax(axis=1), np.arange(n)
    power = (total[starts + length - 1] - total[starts]) / (length - 1)
    return here[rows, best] * _SPAN, np.log(climbs[rows, best]), power


def _loudest_around(values: Float32Array, reach: int) -> Float32Array:
    """Give the highest of each value and so many to both sides of it; what lies outside is 0."""
    beside = np.zeros(reach, dtype=np.float32)
    around = np.concatenate([beside, values, beside])
    return np.asarray(spans(around[np.newaxis], length=2 * reach + 1)[0].max(axis=1))


def _near(x: Float32Array, at: Samples) -> Float32Array:
    """Give the samples about each place that the first loud one is looked for in."""
    length = _NOISE_SAMPLES + _SEARCH_BEFORE + _SEARCH_AFTER
    return np.asarray(spans(x[np.newaxis], length=length)[0, at - _NOISE_SAMPLES - _SEARCH_BEFORE])


def _first_loud(loud: Float32Array, at: Samples) -> FloatArray:
    """Give the first sample about each place that is clearly louder than what was before it, or the place itself.

    Args:
        loud: magnitudes about each place, as _near gives them.
        at: the places.
    """
    before, searched = loud[:, :_NOISE_SAMPLES], loud[:, _NOISE_SAMPLES:]
    least = np.maximum(_OUT_OF_NOISE * before.max(axis=1), _OF_PEAK * searched.max(axis=1))
    loud_enough = searched >= least[:, None]
    first = loud_enough.argmax(axis=1)
    return np.where(loud_enough.any(axis=1), at - _SEARCH_BEFORE + first, at).astype(np.float64)

"""Summed power spectra: from one of them, any band's level is read from a few columns.

Power is calibrated so that a sine of amplitude A has A^2/2 in all, whatever the window: with a Hann window w of N
samples, bin k of the one-sided spectrum holds 2|X_k|^2 / (N sum(w^2)) (1 instead of 2 at zero and at Nyquist), by
Parseval's theorem. Bin k speaks for frequencies from (k - 1/2) to (k + 1/2) bin widths.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property, lru_cache
from typing import Any, TypeAlias

import numpy as np

from fern_tide.core.base.signal import Float32Array, FloatArray, spans
from fern_tide.core.sound.decimated import Decimation, decimation
from fern_tide.core.sound.grid import Samples

GROUP = 8  # columns that are summed together
BINS_IN_A_BAND = 8  # a Hann window's main lobe is four bins wide: a band twice as wide is resolved
COLUMNS_PER_OCTAVE = 48
_LONG_SAMPLES = 120 * 44_100  # from here on scipy transforms
Transform: TypeAlias = Callable[[Float32Array], Any]
"""Gives the spectra of real signals on the last axis, complex64."""


class Window(StrEnum):
    """How long a stretch of sound a spectrum looks at: about 23, 46 or 93 ms; auto is the shortest that resolves."""

    AUTO = "auto"
    TIGHT = "tight"
    BALANCED = "balanced"
    FINE = "fine"


class Part(StrEnum):
    """How much of a spectrum is kept: all of it, the lows, where fine windows matter most, or up to the highest notes.

    A part is read from fewer samples. Its bands are those of the whole within 0.01 % and -120 dB of what lies above.
    """

    WHOLE = "whole"
    LOWS = "lows"
    NOTES = "notes"


PART_HZ = {Part.LOWS: 300.0, Part.NOTES: 4_440.0}  # the highest note is B7, tuned as high as may be
_SECONDS = {Window.TIGHT: 0.02322, Window.BALANCED: 0.04644, Window.FINE: 0.09288}


@lru_cache(maxsize=64)
def window_samples(window: Window, *, sample_rate_hz: int) -> int:
    """Give the window's length: the power of two nearest to its time. Auto must be resolved first."""
    return int(2 ** round(np.log2(_SECONDS[window] * sample_rate_hz)))


def resolve(window: Window, *, low_hz: float, high_hz: float, sample_rate_hz: int) -> Window:
    """Give the window itself, or for auto the shortest in which the band is at least eight bins wide."""
    if window is not Window.AUTO:
        return window
    for candidate in (Window.TIGHT, Window.BALANCED):
        bin_hz = sample_rate_hz / window_samples(candidate, sample_rate_hz=sample_rate_hz)
        if high_hz - low_hz >= BINS_IN_A_BAND * bin_hz:
            return candidate
    return Window.FINE


@lru_cache(maxsize=64)
def column_edges_hz(n_window: int, *, sample_rate_hz: int, part: Part = Part.WHOLE) -> FloatArray:
    """Give the frequency of each column, ascending: the bins' own lower edges from 0, and Nyquist.

    Args:
        n_window: the window's length in samples.
        sample_rate_hz: of the sound.
        part: the lows end with the first edge at or above 300 Hz, the notes with that at or above 4440 Hz.
    """
    bin_hz = sample_rate_hz / n_window
    lower = np.maximum(_first_bins(n_window) - 0.5, 0.0) * bin_hz
    edges = np.concatenate([lower, [sample_rate_hz / 2]])
    if part in PART_HZ:
        edges = edges[: int(np.searchsorted(edges, PART_HZ[part])) + 1]
    edges.setflags(write=False)
    return edges


@lru_cache(maxsize=64)
def _first_bins(n_window: int) -> Samples:
    """Give the first bin of each column: every bin while bins are coarse, then about every 1/48 octave."""
    ratio = 2.0 ** (1.0 / COLUMNS_PER_OCTAVE)
    steps = int(np.ceil(np.log(n_window / 2) / np.log(ratio)))
    return np.unique(np.concatenate([[0, 1], np.round(ratio ** np.arange(steps))])).astype(np.int64)


@dataclass(frozen=True)
class _Columns:
    """The first bin of each column, the bin after the last column, and how many of the lowest are a single bin."""

    first: Samples
    end: int
    n_alone: int


@lru_cache(maxsize=64)
def _columns(n_window: int, n_columns: int | None = None) -> _Columns:
    """Give all columns of a window, or so many of the lowest."""
    bins = np.append(_first_bins(n_window), n_window // 2 + 1)
    first = bins[:-1][:n_columns]
    end = int(bins[len(first)])
    n_alone = int(np.argmax(np.diff(first, append=end) > 1))
    return _Columns(first, end, n_alone if n_alone else len(first) - 1)


def transform_for(n_samples: int) -> Transform:
    """Give the Fourier transform that a sound of so many samples is read with, always the same for the same sound.

    The one of scipy is a third faster, and takes as long to import as ten minutes of sound to transform.
    """
    if n_samples < _LONG_SAMPLES:
        return np.fft.rfft
    import scipy.fft

    return scipy.fft.rfft


def summed_power(
    x: Float32Array, middles: Samples, *, n_window: int, transform: Transform = np.fft.rfft
) -> Float32Array:
    """Sum each frame's power spectrum in columns, and within every eight columns from their top down.

    Args:
        x: shape (signals, samples); every window must lie inside it.
        middles: the sample at which each frame's window is centred, counted in x.
        n_window: the window's length in samples.
        transform: from transform_for.

    Returns:
        Shape (signals, columns + 1, frames): the power from each column's edge to the end of its eight, the last all
        zero. So few together keep a quiet band exact in float32, however loud it is elsewhere.
    """
    return _summed(_squares(_windowed(x, middles, n_window), transform), _columns(n_window))


@dataclass(frozen=True, eq=False)
class PartReader:
    """Reads a part of the spectrum at a lower rate: the same columns as the whole, and silence above the last.

    Attributes:
        n_window: the window's length in samples of the sound.
        edges_hz: the part's columns, from column_edges_hz.
        sample_rate_hz: of the sound.
        transform: from transform_for.
    """

    n_window: int
    edges_hz: FloatArray
    sample_rate_hz: int
    transform: Transform

    @cached_property
    def by(self) -> Decimation:
        """How samples are left out; leakage from two bins above the last edge still counts."""
        highest_hz = float(self.edges_hz[-1]) + 2.0 * self.sample_rate_hz / self.n_window
        return decimation(highest_hz, sample_rate_hz=self.sample_rate_hz)

    @property
    def reach(self) -> int:
        """The samples before and after a window's middle that must be there."""
        return self.n_window // 2 + self.by.after + self.by.factor

    def __call__(self, x: Float32Array, middles: Samples, *, start: int) -> Float32Array:
        """Sum each frame's power spectrum as summed_power does, shape (signals, columns + 1, frames).

        Args:
            x: shape (signals, samples); all within reach of the middles must be there.
            middles: the sample at which each frame's window is centred, counted in x.
            start: where x begins in the sound: which samples are kept is a matter of the sound, not of x.
        """
        factor, n_few = self.by.factor, self.n_window // self.by.factor
        begins = middles - self.n_window // 2 + start
        starts = -(-begins // factor)  # of the sound's kept samples, the first in each window
        few = self.by(x, first=int(starts[0]) * factor - start, count=int(starts[-1] - starts[0]) + n_few)
        windows = _hanns(self.n_window, factor)[starts * factor - begins]
        windowed = spans(few, length=n_few)[:, starts - starts[0]] * windows
        return _summed(_squares(windowed, self.transform), _columns(self.n_window, len(self.edges_hz) - 1))


def _summed(squares: Float32Array, columns: _Columns) -> Float32Array:
    """Sum within groups of columns from their top down; shape (signals, columns + 1, frames), the last all zero."""
    alone, merged_at = 2 * columns.n_alone, 2 * (columns.first[columns.n_alone :] - columns.n_alone)
    n = len(columns.first)
    inside = np.zeros((*squares.shape[:2], -(-n // GROUP) * GROUP), dtype=np.float32)
    np.add(squares[..., :alone:2], squares[..., 1:alone:2], out=inside[..., : columns.n_alone])
    inside[..., columns.n_alone : n] = np.add.reduceat(squares[..., alone : 2 * columns.end], merged_at, axis=-1)
    groups = inside.reshape(*squares.shape[:2], -1, GROUP)
    for column in reversed(range(GROUP - 1)):
        groups[..., column] += groups[..., column + 1]
    above = np.zeros((inside.shape[0], n + 1, inside.shape[1]), dtype=np.float32)
    above[:, :-1] = inside[..., :n].swapaxes(-1, -2)
    return above


def squared_spectra(x: Float32Array, middles: Samples, *, n_window: int, transform: Transform) -> Float32Array:
    """Give the power spectrum of the Hann window about each middle, as squares of real and imaginary parts in turn.

    Args:
        x: shape (signals, samples); every window must lie inside it.
        middles: the samples at which the windows are centred, counted in x.
        n_window: their length in samples.
        transform: from transform_for.

    Returns:
        Shape (signals, frames, 2 bins): the sum of a pair is a bin's power.
    """
    return _squares(_windowed(x, middles, n_window), transform)


def _windowed(x: Float32Array, middles: Samples, n_window: int) -> Float32Array:
    """Give the sound about each middle through the Hann window, shape (signals, frames, samples)."""
    starts = middles - n_window // 2
    steps = starts[1:] - starts[:-1]
    if len(steps) and steps[0] > 0 and (steps == steps[0]).all():  # evenly spaced: nothing is copied
        chosen = spans(x, length=n_window, first=int(starts[0]), step=int(steps[0]), count=len(starts))
    else:
        chosen = spans(x, length=n_window)[:, starts]
    return np.asarray(chosen * _hanns(n_window, 1)[0])


def _squares(windowed: Float32Array, transform: Transform) -> Float32Array:
    """Give the squares of the real and imaginary parts in turn, shape (signals, frames, 2 bins): a pair is a power."""
    spectra = transform(windowed)
    squares: Float32Array = spectra.view(np.float32)
    np.multiply(squares, squares, out=squares)
    squares[..., :2] *= 0.5
    squares[..., -2:] *= 0.5
    return squares


@lru_cache(maxsize=32)
def _hanns(n_window: int, factor: int) -> Float32Array:
    """Give the window at every factor-th sample from each of the first, shape (factor, n_window / factor).

    Scaled so that the squares of a spectrum are powers.
    """
    weights = 0.5 - 0.5 * np.cos(2.0 * np.pi * np.arange(n_window) / n_window)
    few = weights.reshape(-1, factor).T
    return np.asarray(few * np.sqrt(2.0 / (few.shape[1] * np.sum(few**2, axis=1, keepdims=True))), dtype=np.float32)

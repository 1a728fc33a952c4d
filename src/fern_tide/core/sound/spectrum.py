"""Cumulative power spectra: from one of them, any band's level is a difference of two columns.

Power is calibrated so that a sine of amplitude A has A^2/2 in all, whatever the window: with a Hann window w of N
samples, bin k of the one-sided spectrum holds 2|X_k|^2 / (N sum(w^2)) (1 instead of 2 at zero and at Nyquist), by
Parseval's theorem. Bin k speaks for frequencies from (k - 1/2) to (k + 1/2) bin widths.
"""

from __future__ import annotations

from enum import StrEnum
from functools import lru_cache

import numpy as np
import scipy.fft
from numpy.lib.stride_tricks import as_strided, sliding_window_view

from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.sound.grid import Samples

BINS_IN_A_BAND = 8  # a Hann window's main lobe is four bins wide: a band twice as wide is resolved
COLUMNS_PER_OCTAVE = 48
LOW_PART_HZ = 300.0  # where fine windows matter most: the low part of one is a tenth of it


class Window(StrEnum):
    """How long a stretch of sound a spectrum looks at: about 23, 46 or 93 ms; auto is the shortest that resolves."""

    AUTO = "auto"
    TIGHT = "tight"
    BALANCED = "balanced"
    FINE = "fine"


_SECONDS = {Window.TIGHT: 0.02322, Window.BALANCED: 0.04644, Window.FINE: 0.09288}


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
def column_edges_hz(n_window: int, *, sample_rate_hz: int, low_part: bool = False) -> FloatArray:
    """Give the frequency of each column, ascending: the bins' own lower edges from 0, and Nyquist.

    Args:
        n_window: the window's length in samples.
        sample_rate_hz: of the sound.
        low_part: only up to the first edge at or above 300 Hz.
    """
    bin_hz = sample_rate_hz / n_window
    lower = np.maximum(_first_bins(n_window) - 0.5, 0.0) * bin_hz
    edges = np.concatenate([lower, [sample_rate_hz / 2]])
    if low_part:
        edges = edges[: int(np.searchsorted(edges, LOW_PART_HZ)) + 1]
    edges.setflags(write=False)
    return edges


@lru_cache(maxsize=64)
def _first_bins(n_window: int) -> Samples:
    """Give the first bin of each column: every bin while bins are coarse, then about every 1/48 octave."""
    ratio = 2.0 ** (1.0 / COLUMNS_PER_OCTAVE)
    steps = int(np.ceil(np.log(n_window / 2) / np.log(ratio)))
    return np.unique(np.concatenate([[0, 1], np.round(ratio ** np.arange(steps))])).astype(np.int64)


def cumulative_power(x: Float32Array, middles: Samples, *, n_window: int, n_columns: int | None = None) -> Float32Array:
    """Sum each frame's power spectrum from the top down, at the column edges.

    Args:
        x: shape (signals, samples); every window must lie inside it.
        middles: the sample at which each frame's window is centred, counted in x.
        n_window: the window's length in samples.
        n_columns: only so many of the lowest edges; None is all.

    Returns:
        Shape (signals, columns, frames): the power at and above each column's edge. Summing from the top keeps
        quiet high bands exact in float32.
    """
    squares, first = _squares(x, middles, n_window), _first_bins(n_window)[:n_columns]
    alone = min(_n_alone(n_window), len(first) - 1)  # below, a column is a bin
    single = squares[..., : 2 * alone : 2] + squares[..., 1 : 2 * alone : 2]
    merged = np.add.reduceat(squares[..., 2 * alone :], 2 * (first[alone:] - alone), axis=-1)
    inside = np.concatenate([single, merged], axis=-1)
    n_edges = len(first) + 1 if n_columns is None or n_columns > len(first) else n_columns
    above = np.zeros((inside.shape[0], n_edges, inside.shape[1]), dtype=np.float32)
    above[:, : len(first)] = np.cumsum(inside[..., ::-1], axis=-1, dtype=np.float64)[..., ::-1].swapaxes(-1, -2)
    return above


def power_spectra(x: Float32Array, middles: Samples, *, n_window: int) -> Float32Array:
    """Give the one-sided power spectrum of the Hann window about each middle, shape (signals, frames, bins).

    Args:
        x: shape (signals, samples); every window must lie inside it.
        middles: the samples at which the windows are centred, counted in x.
        n_window: their length in samples.
    """
    squares = _squares(x, middles, n_window)
    return np.asarray(squares[..., ::2] + squares[..., 1::2], dtype=np.float32)


def _squares(x: Float32Array, middles: Samples, n_window: int) -> Float32Array:
    """Give the squares of the real and imaginary parts in turn, shape (signals, frames, 2 bins): a pair is a power."""
    starts = middles - n_window // 2
    steps = np.diff(starts)
    if starts[0] < 0 or starts[-1] + n_window > x.shape[1]:
        raise ValueError("a window reaches outside the sound")
    if len(steps) and steps[0] > 0 and np.all(steps == steps[0]):  # evenly spaced: nothing is copied
        shape, sample = (x.shape[0], len(starts), n_window), x.strides[1]
        chosen = as_strided(x[:, starts[0] :], shape, (x.strides[0], int(steps[0]) * sample, sample), writeable=False)
    else:
        chosen = sliding_window_view(x, n_window, axis=1)[:, starts]
    spectra = scipy.fft.rfft(chosen * _hann(n_window), axis=-1)
    squares: Float32Array = spectra.view(np.float32)
    np.multiply(squares, squares, out=squares)
    squares[..., :2] *= 0.5
    squares[..., -2:] *= 0.5
    return squares


@lru_cache(maxsize=64)
def _n_alone(n_window: int) -> int:
    """Count the lowest columns that are a single bin."""
    return int(np.argmax(np.diff(_first_bins(n_window)) > 1))


@lru_cache(maxsize=16)
def _hann(n_window: int) -> Float32Array:
    """Give the window, scaled so that the squares of a spectrum are powers."""
    weights = 0.5 - 0.5 * np.cos(2.0 * np.pi * np.arange(n_window) / n_window)
    return np.asarray(weights * np.sqrt(2.0 / (n_window * np.sum(weights**2))), dtype=np.float32)


def band_power(cumulative: Float32Array, edges_hz: FloatArray, *, cuts_hz: FloatArray) -> FloatArray:
    """Read the power of what lies between each two neighbouring frequencies, shape (signals, bands, frames).

    Args:
        cumulative: shape (signals, columns, frames), from cumulative_power.
        edges_hz: the columns' frequencies, ascending.
        cuts_hz: the bands' edges, ascending, one more than there are bands.
    """
    at = np.stack([_at(cumulative, edges_hz, float(hz)) for hz in cuts_hz], axis=1)
    return np.asarray(np.maximum(at[:, :-1] - at[:, 1:], 0.0))


def band_level(cumulative: Float32Array, edges_hz: FloatArray, *, low_hz: float, high_hz: float) -> FloatArray:
    """Read the RMS of what lies between two frequencies, edges cutting columns by fraction.

    Args:
        cumulative: shape (signals, columns, frames), from cumulative_power.
        edges_hz: the columns' frequencies, ascending.
        low_hz: the band's lower edge.
        high_hz: the band's upper edge.

    Returns:
        Shape (frames,): the loudest signal's level. A sine of amplitude A wholly inside the band reads A/sqrt(2).
    """
    power = _at(cumulative, edges_hz, low_hz) - _at(cumulative, edges_hz, high_hz)
    return np.asarray(np.sqrt(np.maximum(power, 0.0)).max(axis=0), dtype=np.float64)


def _at(cumulative: Float32Array, edges_hz: FloatArray, hz: float) -> FloatArray:
    index = int(np.clip(np.searchsorted(edges_hz, hz, side="right") - 1, 0, len(edges_hz) - 2))
    share = float(np.clip((hz - edges_hz[index]) / (edges_hz[index + 1] - edges_hz[index]), 0.0, 1.0))
    below, above = cumulative[:, index].astype(np.float64), cumulative[:, index + 1].astype(np.float64)
    return below * (1.0 - share) + above * share

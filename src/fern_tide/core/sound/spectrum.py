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

from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.sound.grid import Samples

BINS_IN_A_BAND = 8  # a Hann window's main lobe is four bins wide: a band twice as wide is resolved
COLUMNS_PER_OCTAVE = 48


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
def column_edges_hz(n_window: int, *, sample_rate_hz: int) -> FloatArray:
    """Give the frequency of each column: every bin's lower edge while bins are coarse, then 1/48 octave, to Nyquist."""
    bin_hz, nyquist = sample_rate_hz / n_window, sample_rate_hz / 2
    ratio = 2.0 ** (1.0 / COLUMNS_PER_OCTAVE)
    last_bin = int(min(n_window // 2, np.ceil(1.0 / (ratio - 1.0) + 0.5)))
    linear = np.concatenate([[0.0], (np.arange(1, last_bin + 1) - 0.5) * bin_hz])
    steps = int(np.ceil(np.log(nyquist / linear[-1]) / np.log(ratio)))
    octaves = linear[-1] * ratio ** np.arange(1, steps)
    edges = np.concatenate([linear, octaves[octaves < nyquist], [nyquist]])
    edges.setflags(write=False)
    return edges


def cumulative_power(x: Float32Array, middles: Samples, *, n_window: int, sample_rate_hz: int) -> Float32Array:
    """Sum each frame's power spectrum from the top down, at the column edges.

    Args:
        x: shape (signals, samples); every window must lie inside it.
        middles: the sample at which each frame's window is centred, counted in x.
        n_window: the window's length in samples.
        sample_rate_hz: of x.

    Returns:
        Shape (signals, columns, frames): the power at and above each column's edge. Summing from the top keeps
        quiet high bands exact in float32.
    """
    weights, scale = _hann(n_window)
    views = np.lib.stride_tricks.sliding_window_view(x, n_window, axis=1)
    spectra = scipy.fft.rfft(views[:, middles - n_window // 2] * weights, axis=-1)
    power = (spectra.real**2 + spectra.imag**2) * scale
    above = np.cumsum(power[..., ::-1], axis=-1, dtype=np.float64)[..., ::-1]
    above = np.concatenate([above, np.zeros((*above.shape[:-1], 1))], axis=-1)
    index, share = _places(n_window, sample_rate_hz)
    at_edges = above[..., index] * (1.0 - share) + above[..., index + 1] * share
    return np.ascontiguousarray(at_edges.swapaxes(-1, -2), dtype=np.float32)


@lru_cache(maxsize=16)
def _hann(n_window: int) -> tuple[Float32Array, Float32Array]:
    weights = 0.5 - 0.5 * np.cos(2.0 * np.pi * np.arange(n_window) / n_window)
    scale = np.full(n_window // 2 + 1, 2.0 / (n_window * np.sum(weights**2)))
    scale[[0, -1]] /= 2.0
    return weights.astype(np.float32), scale.astype(np.float32)


@lru_cache(maxsize=64)
def _places(n_window: int, sample_rate_hz: int) -> tuple[Samples, FloatArray]:
    """Where each column edge lies among the bins' lower edges: index below it, and share of the bin passed."""
    bin_hz = sample_rate_hz / n_window
    lower = np.concatenate([[0.0], (np.arange(1, n_window // 2 + 1) - 0.5) * bin_hz, [sample_rate_hz / 2]])
    edges = column_edges_hz(n_window, sample_rate_hz=sample_rate_hz)
    index = np.clip(np.searchsorted(lower, edges, side="right") - 1, 0, len(lower) - 2).astype(np.int64)
    return index, (edges - lower[index]) / (lower[index + 1] - lower[index])


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

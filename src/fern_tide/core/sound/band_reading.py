"""The power of bands, read from summed spectra or, where they are narrow, from spectra themselves."""

from __future__ import annotations

from functools import lru_cache
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.sound.spectrum import GROUP, Window, column_edges_hz, window_samples

_COLUMNS_IN_A_BAND = 16  # from here on its edges may cut columns rather than bins
_LOBE_BINS = 4
EDGES_HELP = "In a band wider than a third of an octave it is soft over 3 %, or over 100 Hz where that is more."


def column_power(summed: Float32Array, first: int, last: int) -> FloatArray:
    """Give the power of columns first..last-1 themselves, shape (signals, last - first, frames).

    Args:
        summed: shape (signals, columns + 1, frames), from summed_power.
        first: a column.
        last: the column after the last.
    """
    out = summed[:, first:last].astype(np.float64)
    inner = (np.arange(first, last) + 1) % GROUP != 0
    out[:, inner] -= summed[:, first + 1 : last + 1][:, inner]
    return np.asarray(np.maximum(out, 0.0))


def column_weights(weights: FloatArray) -> FloatArray:
    """Turn weights of columns' own power into weights of the sums that are stored, shape (columns,)."""
    before = np.concatenate([[0.0], weights[:-1]])
    before[::GROUP] = 0.0
    return np.asarray(weights - before)


def bands_power(squares: Float32Array, *, cuts_hz: tuple[float, ...], sample_rate_hz: int) -> Float32Array:
    """Read the power between each two neighbouring frequencies from spectra themselves, edges cutting bins by fraction.

    Args:
        squares: shape (signals, frames, 2 bins), from squared_spectra.
        cuts_hz: the bands' edges, ascending, one more than there are bands.
        sample_rate_hz: of the sound.

    Returns:
        Shape (signals, bands, frames).
    """
    first, shares = _bin_shares(squares.shape[-1] // 2, cuts_hz, sample_rate_hz)
    power = squares[..., 2 * first : 2 * first + len(shares)] @ shares
    return np.ascontiguousarray(power.swapaxes(-1, -2))


@lru_cache(maxsize=32)
def _bin_shares(n_bins: int, cuts_hz: tuple[float, ...], sample_rate_hz: int) -> tuple[int, Float32Array]:
    """Give the first bin that any band touches, and which share of it and the following lies in each, twice in turn."""
    bin_hz = sample_rate_hz / (2 * (n_bins - 1))
    lower = np.maximum(np.arange(n_bins) - 0.5, 0.0) * bin_hz
    upper = np.minimum(np.arange(n_bins) + 0.5, n_bins - 1.0) * bin_hz
    cuts = np.asarray(cuts_hz)
    covered = np.minimum(upper[:, None], cuts[1:]) - np.maximum(lower[:, None], cuts[:-1])
    shares = np.maximum(covered, 0.0) / (upper - lower)[:, None]
    touched = np.flatnonzero(shares.any(axis=1))
    first, last = (int(touched[0]), int(touched[-1]) + 1) if len(touched) else (0, 1)
    return first, np.repeat(shares[first:last], 2, axis=0).astype(np.float32)


def band_power(summed: Float32Array, edges_hz: FloatArray, *, cuts_hz: FloatArray) -> FloatArray:
    """Read the power of what lies between each two neighbouring frequencies, shape (signals, bands, frames).

    Args:
        summed: shape (signals, columns + 1, frames), from summed_power.
        edges_hz: the columns' frequencies, ascending.
        cuts_hz: the bands' edges, ascending, one more than there are bands; edges cut columns by fraction.
    """
    bands = [_band(summed, edges_hz, float(low), float(high)) for low, high in pairwise(cuts_hz)]
    return np.stack(bands, axis=1)


def band_level(summed: Float32Array, edges_hz: FloatArray, *, low_hz: float, high_hz: float) -> FloatArray:
    """Read the RMS of what lies between two frequencies, edges cutting columns by fraction.

    Args:
        summed: shape (signals, columns + 1, frames), from summed_power.
        edges_hz: the columns' frequencies, ascending.
        low_hz: the band's lower edge.
        high_hz: the band's upper edge.

    Returns:
        Shape (frames,): the loudest signal's level. A sine of amplitude A wholly inside the band reads A/sqrt(2).
    """
    return np.asarray(np.sqrt(_band(summed, edges_hz, low_hz, high_hz)).max(axis=0), dtype=np.float64)


def _band(summed: Float32Array, edges_hz: FloatArray, low_hz: float, high_hz: float) -> FloatArray:
    """Give a band's power, shape (signals, frames)."""
    at, weights = _weights(edges_hz.tobytes(), low_hz, high_hz)
    power = np.einsum("c,scf->sf", weights, summed[:, at].astype(np.float64))
    return np.asarray(np.maximum(power, 0.0))


@lru_cache(maxsize=512)
def _weights(edges: bytes, low_hz: float, high_hz: float) -> tuple[npt.NDArray[np.intp], FloatArray]:
    """Give which of the stored sums make up a band, and how much each counts: while a sound comes they stay the same.

    Args:
        edges: the columns' frequencies in Hz, float64.
        low_hz: the band's lower edge.
        high_hz: the band's upper edge.
    """
    edges_hz = np.frombuffer(edges)
    covered = np.minimum(edges_hz[1:], high_hz) - np.maximum(edges_hz[:-1], low_hz)
    weights = np.append(column_weights(np.maximum(covered, 0.0) / np.diff(edges_hz)), 0.0)
    at = np.flatnonzero(weights)
    return at, weights[at]


def is_cut_coarsely(window: Window, *, low_hz: float, high_hz: float, sample_rate_hz: int) -> bool:
    """Say whether a band is too narrow to be cut out of columns: then it wants a reading of its own.

    A column of many bins at its edge would be more than a sixteenth of it.
    """
    edges = column_edges_hz(window_samples(window, sample_rate_hz=sample_rate_hz), sample_rate_hz=sample_rate_hz)
    bin_hz = sample_rate_hz / window_samples(window, sample_rate_hz=sample_rate_hz)
    at = int(np.clip(np.searchsorted(edges, high_hz) - 1, 0, len(edges) - 2))
    width = float(edges[at + 1] - edges[at])
    return width > 1.5 * bin_hz and high_hz - low_hz < _COLUMNS_IN_A_BAND * width


def band_doubt(window: Window, *, low_hz: float, high_hz: float, sample_rate_hz: int) -> str:
    """Say in one sentence what a band seen through a window cannot tell; '' where there is no doubt."""
    if high_hz > sample_rate_hz / 2:
        return f"The sound has nothing above {sample_rate_hz / 2:g} Hz."
    least = least_band_hz(window, sample_rate_hz=sample_rate_hz)
    if high_hz - low_hz >= least:
        return ""
    finer = "Make it wider." if window is Window.FINE else "Make it wider, or let the window be auto."
    return f"Neighbours less than {least:.0f} Hz apart are not told from it here. {finer}"


def least_band_hz(window: Window, *, sample_rate_hz: int) -> float:
    """Give the narrowest band that a window can tell from its neighbours: a Hann window's main lobe."""
    return _LOBE_BINS * sample_rate_hz / window_samples(window, sample_rate_hz=sample_rate_hz)

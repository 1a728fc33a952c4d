"""The picture of a sound: how loud each pitch is at each frame, small enough to be sent and drawn."""

from __future__ import annotations

from typing import TypeAlias

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.sound.band_reading import band_power
from fern_tide.core.sound.spectrum import PART_HZ, Part

Picture: TypeAlias = npt.NDArray[np.uint8]
VERSION = 1
FINE_BELOW_HZ = PART_HZ[Part.LOWS]
ROWS = 128
LOWEST_HZ, HIGHEST_HZ = 25.0, 20_000.0
QUIETEST_DB, LOUDEST_DB = -100.0, 0.0
_STRETCH = 8192
_PIVOT_HZ = 1_000.0


def row_edges_hz() -> FloatArray:
    """Give the edges of the picture's rows, evenly spaced in octaves, lowest first; shape (ROWS + 1,)."""
    return np.geomspace(LOWEST_HZ, HIGHEST_HZ, ROWS + 1)


def picture(balanced: tuple[Float32Array, FloatArray], fine: tuple[Float32Array, FloatArray]) -> Picture:
    """Draw a spectrum over time; what lies below 300 Hz is seen through the finer window.

    Args:
        balanced: a spectrum of shape (signals, columns, frames), from summed_power, and its columns' frequencies.
        fine: the same through the fine window.

    Returns:
        Shape (ROWS, frames), lowest pitch first: the level of each row in dB, 0 for -100 dB and below, 255 for 0 dB.
    """
    cuts = np.minimum(row_edges_hz(), balanced[1][-1])
    low = int(np.searchsorted(cuts, FINE_BELOW_HZ)) - 1
    out = np.zeros((ROWS, balanced[0].shape[-1]), dtype=np.uint8)
    for start in range(0, out.shape[1], _STRETCH):
        parts = [
            band_power(spectrum[..., start : start + _STRETCH], edges, cuts_hz=part).max(axis=0)
            for (spectrum, edges), part in ((fine, cuts[: low + 1]), (balanced, cuts[low:]))
        ]
        power = np.concatenate(parts)
        db = 10.0 * np.log10(np.maximum(power, 1e-12))
        share = (db - QUIETEST_DB) / (LOUDEST_DB - QUIETEST_DB)
        out[:, start : start + _STRETCH] = np.clip(np.round(share * 255.0), 0, 255)
    return out


def shown(drawn: Picture, *, first: float, last: float, columns: int) -> Picture:
    """Give a stretch of a picture at a width: the loudest of the frames that share a column.

    Args:
        drawn: shape (ROWS, frames).
        first: the frame at the left edge; may be a fraction, and outside.
        last: the frame at the right edge.
        columns: how many columns to give.

    Returns:
        Shape (ROWS, columns); 0 where there are no frames.
    """
    edges = first + np.arange(columns + 1) * (last - first) / columns
    begins = np.floor(edges[:-1]).astype(np.int64)
    ends = np.maximum(begins + 1, np.floor(edges[1:]).astype(np.int64))
    n_frames = drawn.shape[1]
    out = np.zeros((drawn.shape[0], columns), dtype=np.uint8)
    inside = (ends > 0) & (begins < n_frames)
    if not inside.any() or n_frames == 0:
        return out
    begins, ends = np.clip(begins[inside], 0, n_frames - 1), np.clip(ends[inside], 1, n_frames)
    low = int(begins[0])
    part = np.concatenate([drawn[:, low : int(ends[-1])], np.zeros((drawn.shape[0], 1), dtype=np.uint8)], axis=1)
    pairs = np.stack([begins - low, ends - low], axis=1).ravel()
    out[:, inside] = np.maximum.reduceat(part, pairs, axis=1)[:, ::2]
    return out


def average(drawn: Picture) -> FloatArray:
    """Give each row's mean level over all frames that are not silent, in the picture's own 0 to 255; shape (ROWS,)."""
    power = 10.0 ** (np.arange(256) / 255.0 * (LOUDEST_DB - QUIETEST_DB) / 10.0)
    power[0] = 0.0
    counts = np.stack([np.bincount(row, minlength=256) for row in drawn])
    heard = max(1, int((drawn.max(axis=0) > 0).sum())) if drawn.size else 1
    mean = counts @ power / heard
    return np.asarray(np.clip(10.0 * np.log10(np.maximum(mean, 1.0)) * 255.0 / (LOUDEST_DB - QUIETEST_DB), 0, 255))


def tilt_steps(db_per_octave: float) -> FloatArray:
    """Give what a tilt about 1 kHz adds to each row, in the picture's own steps; shape (ROWS,)."""
    edges = row_edges_hz()
    middles = np.sqrt(edges[:-1] * edges[1:])
    return np.asarray(np.log2(middles / _PIVOT_HZ) * db_per_octave * 255.0 / (LOUDEST_DB - QUIETEST_DB))

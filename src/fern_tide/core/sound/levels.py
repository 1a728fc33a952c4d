"""Detectors: one level per window of samples."""

from __future__ import annotations

from enum import StrEnum

import numpy as np

from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.sound.grid import Samples


class Detector(StrEnum):
    """Peak max|x|, RMS sqrt(mean x^2), average mean|x|, median median|x|, minimum min|x|."""

    RMS = "rms"
    PEAK = "peak"
    AVERAGE = "average"
    MEDIAN = "median"
    MINIMUM = "minimum"


def levels(x: Float32Array, starts: Samples, ends: Samples, *, detector: Detector) -> FloatArray:
    """Read one level per window.

    Args:
        x: shape (signals, samples), 1.0 being full scale.
        starts: the first sample of each window; windows may overlap and may reach outside x.
        ends: the sample after the last of each window.
        detector: how a window becomes a level.

    Returns:
        Shape (signals, windows). Only samples that exist count; a window with none reads 0.
    """
    lows, highs = np.clip(starts, 0, x.shape[1]), np.clip(ends, 0, x.shape[1])
    if detector is Detector.MEDIAN:
        return _medians(np.abs(x), lows, highs)
    out = np.zeros((x.shape[0], len(starts)))
    occupied = highs > lows
    if not occupied.any():
        return out
    pairs = np.stack([lows[occupied], highs[occupied]], axis=1).ravel()
    padded = np.zeros((x.shape[0], x.shape[1] + 1))
    padded[:, :-1] = x
    if detector in {Detector.PEAK, Detector.MINIMUM}:
        extreme = np.maximum if detector is Detector.PEAK else np.minimum
        out[:, occupied] = extreme.reduceat(np.abs(padded, out=padded), pairs, axis=1)[:, ::2]
        return out
    powers = np.square(padded, out=padded) if detector is Detector.RMS else np.abs(padded, out=padded)
    means = np.add.reduceat(powers, pairs, axis=1)[:, ::2] / (highs - lows)[occupied]
    out[:, occupied] = np.sqrt(means) if detector is Detector.RMS else means
    return out


def _medians(loudness: Float32Array, lows: Samples, highs: Samples) -> FloatArray:
    out = np.zeros((loudness.shape[0], len(lows)))
    lengths = highs - lows
    for length in np.unique(lengths[lengths > 0]):  # windows of a length at once: there are hardly two lengths
        same = np.flatnonzero(lengths == length)
        windows = np.lib.stride_tricks.sliding_window_view(loudness, int(length), axis=1)[:, lows[same]]
        middle = (int(length) - 1) // 2
        parted = np.partition(windows, [middle, int(length) // 2], axis=-1)
        out[:, same] = (parted[..., middle].astype(np.float64) + parted[..., int(length) // 2]) / 2.0
    return out

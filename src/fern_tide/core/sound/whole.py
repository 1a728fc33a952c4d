"""Figures of a whole sound: its loudness and its true peak, as ITU-R BS.1770 defines them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.sound.running import SILENCE_LUFS, k_weighting

_STEP_S = 0.1  # gating blocks of 400 ms overlap by three quarters
_STEPS = 4
_ABSOLUTE_LUFS, _RELATIVE_LU = -70.0, -10.0
_OVERSAMPLED = 4
_MARGIN = 64  # samples that resampling looks at to each side, and more


@dataclass(frozen=True)
class Figures:
    """A sound's figures; None where it is silent.

    Attributes:
        loudness_lufs: integrated, gated loudness.
        true_peak_db: the highest value between samples, in dBTP.
        peak_db: the highest sample, in dBFS.
    """

    loudness_lufs: float | None
    true_peak_db: float | None
    peak_db: float | None


def figures(blocks: Iterator[Float32Array], *, sample_rate_hz: int) -> Figures:
    """Measure a sound from its first sample to its last.

    Args:
        blocks: shape (channels, samples) each, in order.
        sample_rate_hz: of the sound.
    """
    from scipy.signal import resample_poly, sosfilt  # slow to import

    weights, state = k_weighting(sample_rate_hz), None
    step = round(_STEP_S * sample_rate_hz)
    powers: list[FloatArray] = []
    left: FloatArray = np.zeros(0)
    held: Float32Array | None = None
    peak, true_peak = 0.0, 0.0
    for block in blocks:
        if state is None:
            state = np.zeros((len(weights), len(block), 2))
        weighted, state = sosfilt(weights, block.astype(np.float64), axis=1, zi=state)
        gains = np.where(np.arange(len(block)) >= 3, 1.41, 1.0)
        left = np.concatenate([left, gains @ weighted**2])
        whole = len(left) // step
        powers.append(left[: whole * step].reshape(whole, step).mean(axis=1))
        left = left[whole * step :]
        peak = max(peak, float(np.abs(block).max(initial=0.0)))
        joined = block if held is None else np.concatenate([held, block], axis=1)
        between = resample_poly(joined, _OVERSAMPLED, 1, axis=1)
        true_peak = max(true_peak, _highest(between, after_start=held is not None, before_end=True))
        held = joined[:, -2 * _MARGIN :]
    if held is not None:
        between = resample_poly(held, _OVERSAMPLED, 1, axis=1)
        true_peak = max(true_peak, _highest(between, after_start=held.shape[1] == 2 * _MARGIN, before_end=False))
    return Figures(_gated(np.concatenate(powers) if powers else np.zeros(0)), _db(max(peak, true_peak)), _db(peak))


def _highest(between: FloatArray, *, after_start: bool, before_end: bool) -> float:
    """Give the highest value, without the margins where a block was cut out of the sound."""
    cut = _MARGIN * _OVERSAMPLED
    last = between.shape[1] - cut if before_end else between.shape[1]
    return float(np.abs(between[:, cut if after_start else 0 : max(0, last)]).max(initial=0.0))


def _gated(steps: FloatArray) -> float | None:
    """Give the loudness over blocks above -70 LUFS, and above 10 LU below the mean of those."""
    if len(steps) < _STEPS:
        return None
    blocks = np.lib.stride_tricks.sliding_window_view(steps, _STEPS).mean(axis=1)
    loud = blocks[_lufs(blocks) > _ABSOLUTE_LUFS]
    if len(loud) == 0:
        return None
    gate = float(_lufs(np.array([loud.mean()]))[0]) + _RELATIVE_LU
    return float(_lufs(np.array([loud[_lufs(loud) > gate].mean()]))[0])


def _lufs(power: FloatArray) -> FloatArray:
    return np.asarray(SILENCE_LUFS + 10.0 * np.log10(np.maximum(power, 1e-20)))


def _db(level: float) -> float | None:
    return 20.0 * float(np.log10(level)) if level > 1e-6 else None

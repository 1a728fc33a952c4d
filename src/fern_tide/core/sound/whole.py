"""Figures of a whole sound: its loudness and its true peak, as ITU-R BS.1770 defines them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from fern_tide.core.base.signal import Float32Array, FloatArray, spans
from fern_tide.core.sound.running import SILENCE_LUFS, KWeighting

_STEP_S = 0.1  # gating blocks of 400 ms overlap by three quarters
_STEPS = 4
_ABSOLUTE_LUFS, _RELATIVE_LU = -70.0, -10.0
_OVERSAMPLED = 4
_REACH = 10  # samples to each side that a value between samples is made of
_AT_ONCE = 32  # places made by one row of the product


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


class FiguresReader:
    """Measures a sound as its blocks pass, from its first sample to its last.

    Args:
        sample_rate_hz: of the sound.
        layout: the loudspeaker of each channel; empty for the usual ones.
    """

    def __init__(self, *, sample_rate_hz: int, layout: tuple[str, ...] = ()) -> None:
        self._weighting, self._layout = KWeighting(sample_rate_hz, layout), layout
        self._step = round(_STEP_S * sample_rate_hz)
        self._powers: list[FloatArray] = []
        self._left: FloatArray = np.zeros(0)
        self._tail: Float32Array | None = None
        self._peak = self._true_peak = 0.0

    def add(self, block: Float32Array) -> None:
        """Take the next block, shape (channels, samples)."""
        power = np.concatenate([self._left, self._weighting.power(block)])
        whole = len(power) // self._step
        self._powers.append(power[: whole * self._step].reshape(whole, self._step).mean(axis=1))
        self._left = power[whole * self._step :]
        self._peak = max(self._peak, float(np.abs(block).max(initial=0.0)))
        self._look_between(block)

    def finish(self) -> Figures:
        """Give the figures."""
        if self._tail is not None:
            self._look_between(np.zeros((len(self._tail), _REACH + 1), dtype=np.float32))
        powers = np.concatenate(self._powers) if self._powers else np.zeros(0)
        return Figures(_gated(powers), _db(max(self._peak, self._true_peak)), _db(self._peak))

    def _look_between(self, block: Float32Array) -> None:
        """Look for the highest value between the samples of the block, those at its end being looked at next time."""
        tail = np.zeros((len(block), 2 * _REACH), dtype=np.float32) if self._tail is None else self._tail
        joined = np.concatenate([tail, block], axis=1)
        self._tail = joined[:, -2 * _REACH :]
        rows = -(-block.shape[1] // _AT_ONCE)
        short = rows * _AT_ONCE + 2 * _REACH - joined.shape[1]
        padded = np.pad(joined, ((0, 0), (0, short)))
        whole = spans(padded, length=_AT_ONCE + 2 * _REACH, step=_AT_ONCE, count=rows)
        between = np.ascontiguousarray(whole) @ _between()
        here = between.reshape(len(block), rows, _OVERSAMPLED - 1, _AT_ONCE).swapaxes(2, 3)
        here = here.reshape(len(block), rows * _AT_ONCE, _OVERSAMPLED - 1)[:, : block.shape[1]]
        self._true_peak = max(self._true_peak, float(here.max(initial=0.0)), -float(here.min(initial=0.0)))


@lru_cache(maxsize=1)
def _between() -> Float32Array:
    """Give the values a quarter, a half and three quarters after each sample as a product.

    A Kaiser-windowed sinc of 20 taps a phase: ITU-R BS.1770-5, annex 2, asks for 12 or more. Shape
    (_AT_ONCE + 2 _REACH, 3 _AT_ONCE).
    """
    at = np.arange(-_REACH * _OVERSAMPLED, _REACH * _OVERSAMPLED + 1)
    taps = np.sinc(at / _OVERSAMPLED) * np.kaiser(len(at), 5.0)
    matrix = np.zeros((_AT_ONCE + 2 * _REACH, (_OVERSAMPLED - 1) * _AT_ONCE), dtype=np.float32)
    for phase in range(1, _OVERSAMPLED):
        own = taps[phase::_OVERSAMPLED][::-1]
        for place in range(_AT_ONCE):
            matrix[place + 1 : place + 1 + len(own), (phase - 1) * _AT_ONCE + place] = own / own.sum()
    return matrix


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

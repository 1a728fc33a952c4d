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
        self._part, self._n_part = 0.0, 0  # of the step that is begun: the power so far, and its samples
        self._tail: Float32Array | None = None
        self._peak = self._true_peak = 0.0

    def add(self, block: Float32Array) -> None:
        """Take the next block, shape (channels, samples)."""
        power = self._weighting.power(block)
        ends = np.arange(self._step - self._n_part, len(power) + 1, self._step)
        sums = np.add.reduceat(power, np.concatenate([[0], ends[ends < len(power)]])) if len(power) else np.zeros(0)
        if len(ends):
            sums[0] += self._part
            self._powers.append(sums[: len(ends)] / self._step)
            self._part, self._n_part = 0.0, 0
        self._part += float(sums[len(ends) :].sum())
        self._n_part = (self._n_part + len(power) - (int(ends[-1]) if len(ends) else 0)) % self._step
        self._look_between(block)

    def finish(self) -> Figures:
        """Give the figures."""
        if self._tail is not None:
            self._look_between(np.zeros((len(self._tail), _AT_ONCE + 2 * _REACH), dtype=np.float32))
        powers = np.concatenate(self._powers) if self._powers else np.zeros(0)
        return Figures(_gated(powers), _db(self._true_peak), _db(self._peak))

    def _look_between(self, block: Float32Array) -> None:
        """Look for the highest value at and between the samples; those at the end are looked at next time.

        Only stretches that are loud enough to hold a higher value than the highest so far are worked out.
        """
        tail = np.zeros((len(block), _REACH), dtype=np.float32) if self._tail is None else self._tail
        joined = np.concatenate([tail, block], axis=1)
        rows = max(0, joined.shape[1] - 2 * _REACH) // _AT_ONCE
        self._tail = joined[:, rows * _AT_ONCE :]
        if not rows:
            return
        whole = spans(joined, length=_AT_ONCE + 2 * _REACH, step=_AT_ONCE, count=rows)
        taps, most = _between()
        starts = np.arange(rows) * _AT_ONCE
        loud = np.maximum.reduceat(np.abs(joined), np.append(starts, starts[-1] + _AT_ONCE), axis=1)
        highest = np.maximum(loud[:, :-1], loud[:, 1:])  # a stretch reaches into the next
        self._peak = max(self._peak, float(loud.max()))
        self._true_peak = max(self._true_peak, self._peak)
        between = whole[highest * most > self._true_peak] @ taps
        self._true_peak = max(self._true_peak, float(between.max(initial=0.0)), -float(between.min(initial=0.0)))


@lru_cache(maxsize=1)
def _between() -> tuple[Float32Array, float]:
    """Give the values a quarter, a half and three quarters after each sample as a product, and how much it may amplify.

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
    return matrix, float(np.abs(matrix).sum(axis=0).max())


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

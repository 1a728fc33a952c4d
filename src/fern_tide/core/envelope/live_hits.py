"""Hits while a sound comes: a rise that stands out of the last seconds, known one hop after its highest."""

from __future__ import annotations

from collections import deque

import numpy as np

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.hits import DEVIATION, DEVIATIONS, GONE, HARDLY, STRONG, rise
from fern_tide.core.sound.grid import Samples
from fern_tide.core.sound.live_rises import LiveRises
from fern_tide.core.sound.onsets import RISES_A_SECOND, rise_hop
from fern_tide.core.sound.spectrum import Window, window_samples

_AROUND = 3 * RISES_A_SECOND  # hops back that the threshold adapts to
_STRONGEST = 30 * RISES_A_SECOND  # hops back of which the highest is a strong hit
_FULL = 16  # of so many last hits the highest counts as full strength
_CUT = 2  # hops before a rise, whose power tells whether it is an end


class _Last:
    """The last so many of the numbers that come, as an array: nothing is copied but once in so many."""

    def __init__(self, most: int) -> None:
        self._most, self._end, self._numbers = most, 0, np.zeros(2 * most)

    def append(self, number: float) -> None:
        """Take the next number."""
        if self._end == len(self._numbers):
            self._numbers[: self._most], self._end = self._numbers[self._most :], self._most
        self._numbers[self._end] = number
        self._end += 1

    @property
    def numbers(self) -> FloatArray:
        """The numbers, the last one last, shape (numbers,)."""
        return self._numbers[max(0, self._end - self._most) : self._end]


class HitsAsTheySound:
    """Finds hits hop by hop: a hop whose rise is above the threshold and no lower than both of its neighbours.

    The threshold is that of find_hits in core/envelope/hits.py, over the last three seconds instead of those around,
    and a strong hit is the highest of the last thirty.
    """

    def __init__(
        self, *, low_hz: float, high_hz: float, sensitivity: float, least_gap_s: float, sample_rate_hz: int
    ) -> None:
        self._low_hz, self._high_hz = low_hz, high_hz
        self._scale, self._rate_hz = 2.0 ** (1.0 - 2.0 * sensitivity), sample_rate_hz
        self._gap = max(1, round(least_gap_s * sample_rate_hz / rise_hop(sample_rate_hz)))
        self._rises = _Last(_STRONGEST)
        self._powers: deque[float] = deque([0.0] * (_CUT + 2), maxlen=_CUT + 2)
        self._heights: deque[float] = deque(maxlen=_FULL)
        self._least, self._since = HARDLY, self._gap

    def __call__(self, risen: LiveRises) -> tuple[Samples, list[float]]:
        """Take the next hops: give the samples by which hits in them are known, and their strengths, 0 to 1."""
        values = rise(risen.rises, low_hz=self._low_hz, high_hz=self._high_hz, sample_rate_hz=self._rate_hz)
        samples, strengths = [], []
        for value, power, end in zip(values.tolist(), risen.powers.tolist(), risen.ends.tolist(), strict=True):
            if self._is_peak(value, power):
                samples.append(end)
                self._heights.append(float(self._rises.numbers[-1]))
                strengths.append(min(1.0, self._heights[-1] / max(self._heights)))
                self._since = 0
            self._since += 1
            self._least = self._threshold()
            self._rises.append(value)
            self._powers.append(power)
        return np.array(samples, dtype=np.int64), strengths

    def _is_peak(self, value: float, power: float) -> bool:
        """Say whether the hop before this one is a hit."""
        rises = self._rises.numbers
        if len(rises) < 2 or self._since < self._gap:
            return False
        before, last = float(rises[-2]), float(rises[-1])
        gone = power < GONE * max(list(self._powers)[:_CUT])  # an end spreads over the spectrum as a hit does
        return last > self._least and last >= before and last >= value and not gone

    def _threshold(self) -> float:
        """Give what the last rise must be above, from those before it."""
        rises = self._rises.numbers
        if not len(rises):
            return HARDLY
        around = rises[-_AROUND:]
        median = median_of(around)
        deviation = DEVIATION * median_of(np.abs(around - median))
        strong = STRONG * self._scale**2 * float(rises.max())
        return float(max(median + DEVIATIONS * self._scale * deviation, strong, HARDLY))


def median_of(numbers: FloatArray) -> float:
    """Give what np.median gives of numbers, shape (at least 1,), in a third of its time."""
    middle = (len(numbers) - 1) // 2, len(numbers) // 2
    ordered = np.partition(numbers, middle)
    return float(ordered[middle[0]] + ordered[middle[1]]) / 2


def lag_frames(rate: FrameRate, *, sample_rate_hz: int) -> float:
    """Give how late a hit is known: half a window and a hop."""
    late = window_samples(Window.TIGHT, sample_rate_hz=sample_rate_hz) / 2 + rise_hop(sample_rate_hz)
    return float(late / sample_rate_hz * rate.per_second)

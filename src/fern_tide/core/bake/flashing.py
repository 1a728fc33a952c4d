"""Flashes in pictures: WCAG 2.2, success criterion 2.3.1, and ITU-R BT.1702 (SIGNAL.md, 'Flashing').

A flash is a pair of opposing changes of luminance by a tenth or more of the largest, where the darker of the two is
below 0.80, or a pair of opposing changes to and from a saturated red. It counts where it covers a quarter or more of
any rectangle of a third of the picture's width and height, and more than three in any second fail. Every picture is
taken as 1024 x 768 is: the rectangle of 341 x 256 there is a third each way.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import FloatArray

ALLOWED = 3
"""Flashes in a second."""
_CHANGE = 0.1
_DARKER_BELOW = 0.8
_RED = 20.0
"""A change of (R - G - B) x 320 above this is one of red."""
_SATURATED = 0.8
_AREA = 0.25
_THIRD = 3
_TOGETHER_S = 0.05
"""Places that change within this time change together."""
_WEIGHTS = np.array([0.2126, 0.7152, 0.0722])
_SHARES = np.arange(256) / 255.0
_LIGHT = np.where(_SHARES <= 0.04045, _SHARES / 12.92, ((_SHARES + 0.055) / 1.055) ** 2.4)
Places: TypeAlias = npt.NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Flashing:
    """How often pictures flash.

    Attributes:
        general: the flashes of luminance in the second that ends with each frame, shape (frames,).
        red: the same of saturated red.
        fps: frames in a second.
    """

    general: FloatArray
    red: FloatArray
    fps: float

    @property
    def most(self) -> tuple[float, int]:
        """The most flashes of either kind in any second, and the last frame of the first such second."""
        both = np.maximum(self.general, self.red)
        if not both.size:
            return 0.0, 0
        frame = int(np.argmax(both))
        return float(both[frame]), frame

    @property
    def passes(self) -> bool:
        """Whether no second has more flashes than are allowed."""
        return self.most[0] <= ALLOWED


class FlashMeter:
    """Counts flashes in pictures that come one after the other."""

    def __init__(self, fps: float) -> None:
        self._fps = fps
        self._luminance = _Swings(_CHANGE, fps)
        self._red = _Swings(_RED, fps)

    def take(self, picture: npt.NDArray[np.uint8]) -> None:
        """Take the next frame.

        Args:
            picture: sRGB, shape (height, width, 3), small: 96 x 72 is enough; all of one size.
        """
        linear = _LIGHT[picture]
        luminance = linear @ _WEIGHTS
        self._luminance.take(luminance, counts=luminance < _DARKER_BELOW)
        red, others = linear[..., 0], linear[..., 1] + linear[..., 2]
        saturated = (red >= _SATURATED * (red + others)) & (red > 0)
        self._red.take(np.maximum(0.0, red - others) * 320, counts=saturated)

    def flashing(self) -> Flashing:
        """Give what was counted until now."""
        return Flashing(self._luminance.per_second(), self._red.per_second(), self._fps)


class _Swings:
    """Opposing changes of a number at every place of the pictures, and when they cover enough at once.

    At each place the number's highest and lowest since its last change are known, and whether it counted there: a
    change counts where either end does.
    """

    def __init__(self, change: float, fps: float) -> None:
        self._change, self._fps = change, fps
        self._together = max(0, round(_TOGETHER_S * fps))
        self._ends: dict[int, tuple[FloatArray, Places]] = {}  # the highest, under 1, and the lowest, under -1
        self._since: dict[int, npt.NDArray[np.int64]] = {}  # the frame of the last change up, and of the last one down
        self._way = np.zeros(0)
        self._frame = -1
        self._last_way = 0
        self._events: list[int] = []  # frames at which enough of a rectangle had changed, one way and the other in turn

    def take(self, values: FloatArray, *, counts: Places) -> None:
        self._frame += 1
        if not self._ends:
            self._ends = {1: (values.copy(), counts.copy()), -1: (values.copy(), counts.copy())}
            self._since = {way: np.full(values.shape, -(10**9)) for way in (1, -1)}
            self._way = np.zeros(values.shape)
            return
        for way, (end, counted) in self._ends.items():
            further = values > end if way > 0 else values < end
            np.copyto(end, values, where=further)
            np.copyto(counted, counts, where=further)
        for way in (1, -1):
            start, counted = self._ends[-way]
            enough = (values - start if way > 0 else start - values) >= self._change
            if not enough.any():
                continue
            enough &= (counts | counted) & (self._way != way)
            self._since[way][enough] = self._frame
            self._way[enough] = way
            end, there = self._ends[way]
            np.copyto(end, values, where=enough)
            np.copyto(there, counts, where=enough)
        self._count()

    def _count(self) -> None:
        last = self._events[-1] if self._events else -1
        for way in (1, -1):
            changed = self._since[way]
            if way != self._last_way and _covers(changed > max(last, self._frame - self._together - 1)):
                self._events.append(self._frame)
                self._last_way = way
                return

    def per_second(self) -> FloatArray:
        """Give the flashes in the second that ends with each frame: pairs of opposing changes, shape (frames,)."""
        changes = np.zeros(self._frame + 1)
        changes[self._events] = 1
        sums = np.cumsum(np.concatenate([[0.0], changes]))
        ends = np.arange(1, self._frame + 2)
        starts = np.maximum(0, ends - max(1, round(self._fps)))
        return np.asarray(np.floor((sums[ends] - sums[starts]) / 2))


def _covers(places: Places) -> bool:
    """Say whether places cover a quarter of any rectangle of a third of the width and height."""
    height, width = places.shape
    tall, wide = max(1, round(height / _THIRD)), max(1, round(width / _THIRD))
    if np.count_nonzero(places) < _AREA * tall * wide:
        return False
    sums = np.zeros((height + 1, width + 1))
    sums[1:, 1:] = places.cumsum(axis=0).cumsum(axis=1)
    inside = sums[tall:, wide:] - sums[:-tall, wide:] - sums[tall:, :-wide] + sums[:-tall, :-wide]
    return bool(inside.max() >= _AREA * tall * wide)

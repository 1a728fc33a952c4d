"""Sprays while a sound comes: how many drops left before the frames that are remembered."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping

import numpy as np

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.scene.arrays.field import ArrayParams, LayoutChoice
from fern_tide.core.scene.arrays.throw import MOST_RATE
from fern_tide.core.scene.scene import Part, Scene


def thrown_arrays(scene: Scene) -> list[Part]:
    """List the arrays whose pieces are thrown."""
    return [part for part in scene.parts if part.kind.pieces and _layout(part).spec.throws is not None]


def _layout(part: Part) -> LayoutChoice:
    params = part.shape.params
    assert isinstance(params, ArrayParams)
    return params.layout


def life_frames(part: Part, drives: Iterable[Drive], *, rate: FrameRate) -> int:
    """Give how many frames a drop flies at most, by its own life and those that drive it."""
    ends = [float(end) for drive in drives for end in (drive.rest, drive.full) if not isinstance(end, str)]
    return math.ceil(max(float(part.own("life")), 0.0, *ends) * rate.per_second) + 2


class LiveSpray:
    """How many drops of an array have left, added up frame by frame as throw.py has it.

    Args:
        part: the array.
        rate: the project's frame rate.
    """

    def __init__(self, part: Part, *, rate: FrameRate) -> None:
        layout = _layout(part)
        throw = layout.spec.throws(layout.params, flat=part.kind.space == "2d")
        self.part_id, self._own = part.id, float(part.own("rate"))
        self._before_s, self._fps = throw.before_s, rate.per_second
        self._reached: float | None = None

    def left(self, curves: Mapping[Target, FloatArray], *, frames: int, more: int) -> float:
        """Give how many drops left before the first of the remembered frames, a fraction being one on its way.

        Args:
            curves: the values of driven properties over the remembered frames.
            frames: how many are remembered.
            more: how many of them are new since this was asked last.
        """
        given = curves.get(Target(part=self.part_id, property="rate"))
        rate = np.clip(np.full(frames, self._own) if given is None else given, 0.0, MOST_RATE)
        if self._reached is None:
            first = max(0, frames - more)
            self._reached = self._before_s * float(rate[first]) + self._sum(rate[first:])
        else:
            missing = max(0, more - (frames - 1)) * float(rate[0]) / self._fps
            self._reached += missing + self._sum(rate[max(0, frames - 1 - more) :])
        return self._reached - self._sum(rate)

    def _sum(self, rate: FloatArray) -> float:
        """Integrate by the trapezoidal rule."""
        return float(np.sum(rate[1:] + rate[:-1])) / (2.0 * self._fps)

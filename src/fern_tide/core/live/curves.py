"""Curves while a sound comes: of every driven property the latest value, and as many before it as others look at."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from fern_tide.core.bake.bake import Drivers, Stack, stacks_in_order
from fern_tide.core.bake.pieces import motion_of
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.core.live.sprays import life_frames, thrown_arrays

MOST_BACK_FRAMES = 3600


@dataclass(frozen=True)
class LiveCurves:
    """How the driven properties of a scene follow from the last frames of lifts.

    Attributes:
        stacks: of the properties, each after those that it is made of.
        spans: how many frames back lifts and sources are looked at for each.
        wanted_frames: how many frames back anything is looked at.
    """

    stacks: tuple[Stack, ...]
    spans: Mapping[Target, int]
    wanted_frames: int

    @classmethod
    def of(cls, project: Project, drivers: dict[Target, Drivers]) -> LiveCurves:
        """Give those of a document, by what drives its properties."""
        stacks = tuple(stacks_in_order(project.scene, drivers, drivers))
        seen = _seen_of_sprays(project, drivers)
        spans: dict[Target, int] = {}
        for stack in reversed(stacks):
            late = max(
                (math.ceil(drive.late_frames) + 1 for _, drive in stack.drivers if drive.late_frames > 0), default=0
            )
            under = 0 if stack.ground is None else stack.ground.late_frames
            spans[stack.target] = seen.get(stack.target, 0) + max(late, under)
            for source in stack.sources:
                seen[source] = max(seen.get(source, 0), spans[stack.target])
        pieces = [spans[stack.target] + _lateness(project, stack) for stack in stacks if stack.part.kind.pieces]
        return cls(stacks, spans, max((0, *spans.values(), *seen.values(), *pieces)))

    @property
    def back_frames(self) -> int:
        """How many frames before the last are remembered."""
        return min(self.wanted_frames, MOST_BACK_FRAMES)

    def values(self, lift: Callable[[str], FloatArray]) -> dict[Target, FloatArray]:
        """Give the values of every property, shape (..., back_frames + 1); the first goes on before what is looked at.

        Args:
            lift: gives a mapping's lift of the last back_frames + 1 frames.
        """
        n_frames, curves = self.back_frames + 1, dict[Target, FloatArray]()
        for stack in self.stacks:
            n = min(self.spans[stack.target] + 1, n_frames)
            lifts = [lift(mapping.id)[..., -n:] for mapping, _ in stack.drivers]
            values = stack.values(lifts, sources=[curves[source][..., -n:] for source in stack.sources], n_frames=n)
            curves[stack.target] = values if n == n_frames else _longer(values, n_frames - n)
        return curves


def _longer(values: FloatArray, by: int) -> FloatArray:
    """Give values whose first goes on for so many frames before it."""
    out = np.empty((*values.shape[:-1], by + values.shape[-1]))
    out[..., :by], out[..., by:] = values[..., :1], values
    return out


def _seen_of_sprays(project: Project, drivers: Mapping[Target, Drivers]) -> dict[Target, int]:
    """Give how many frames back of their sizes sprays look at: as long as their drops fly."""
    seen: dict[Target, int] = {}
    for part in thrown_arrays(project.scene):
        lives = [drive for _, drive in drivers.get(Target(part=part.id, property="life"), [])]
        frames = life_frames(part, lives, rate=project.rate)
        seen |= {Target(part=part.id, property=item.id): frames for item in part.properties}
    return seen


def _lateness(project: Project, stack: Stack) -> int:
    """Give how late the last of an array's pieces is, in frames."""
    motion = motion_of(project.scene, stack.part, {}, rate=project.rate, n_frames=1)
    return math.ceil(motion.late_frames) + 1

"""Mappings while a sound comes: lift by the marks, and the steps that are on."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.mapping.mapping import Mapping, followed
from fern_tide.core.mapping.marks import lift
from fern_tide.core.mapping.step import StepContext, StepFlow


class LiveLift:
    """A mapping's lift, and as many of its last frames as anything is late by.

    Args:
        mapping: which.
        context: what its steps know before the first frame.
        back_frames: how many frames before the last are remembered.
    """

    def __init__(self, mapping: Mapping, context: StepContext, *, back_frames: int) -> None:
        self.mapping = mapping
        self.words: list[str] = []
        self._steps: list[StepFlow] = []
        self._back = back_frames
        self.window: FloatArray = np.zeros(0)
        """Its last frames, shape (back_frames + 1,), or (rows, back_frames + 1) where it is spread."""
        for choice in mapping.steps:
            if not choice.on:
                continue
            live = choice.spec.live
            if live is None:
                self.words.append(f"{choice.spec.label} needs the whole sound: it is left out.")
                continue
            self._steps.append(live.flow(choice.params, context))
            self.words.append(live.words(choice.params))
        if mapping.needs_markers:
            self.words.append("There are no markers live.")

    def take(self, level: FloatArray, context: StepContext) -> FloatArray:
        """Take the next frames of its envelope's level, at least one, and give their lift after the steps."""
        now = lift(followed(level, self.mapping), marks=self.mapping.marks)
        for step in self._steps:
            now = step(now, context=context)
        before = self.window if self.window.size else np.repeat(now[..., :1], self._back, axis=-1)
        self.window = np.concatenate([before, now], axis=-1)[..., -self._back - 1 :]
        return now

"""A curve: one property's value in every frame."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.colour import colour_texts


@dataclass(frozen=True)
class Curve:
    """A dense curve.

    Attributes:
        target: the property.
        part_name: what people call the part.
        label: what people call the property.
        unit: what it is counted in.
        kind: number or colour.
        values: shape (frames,), or (3, frames) in sRGB from 0 to 1 for a colour; float64.
    """

    target: Target
    part_name: str
    label: str
    unit: str
    kind: Literal["number", "colour"]
    values: FloatArray

    @property
    def n_frames(self) -> int:
        """How long it is."""
        return int(self.values.shape[-1])

    @property
    def span(self) -> float:
        """The distance from its least to its greatest value; 1 for a colour."""
        return 1.0 if self.kind == "colour" else float(np.ptp(self.values)) if self.values.size else 0.0

    def at(self, frame: int) -> float | str:
        """Give the value at a frame, a colour as text."""
        if self.kind == "colour":
            return colour_texts(self.values[:, frame : frame + 1])[0]
        return float(self.values[frame])

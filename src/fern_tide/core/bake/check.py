"""What a check is: it looks at curves before hand-off and says what would go wrong in the next program."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.flashing import Flashing
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.scene.scene import Scene

_RATE = FrameRate(Fraction(30))


@dataclass(frozen=True)
class Remedy:
    """What mends a finding at once: an edit, or a touch-up over a stretch.

    Attributes:
        words: on its button.
        command: the edit as plain data; None for a touch-up.
        touch: the kind of the touch-up, its first frame, and the one after its last.
    """

    words: str
    command: Mapping[str, Any] | None = None
    touch: tuple[str, int, int] | None = None


@dataclass(frozen=True)
class Finding:
    """One thing that a check found, at a frame of a curve, in words; of the whole project where no curve is named."""

    target: Target | None
    frame: int
    words: str
    remedy: Remedy | None = None
    others: tuple[Remedy, ...] = ()

    @property
    def remedies(self) -> tuple[Remedy, ...]:
        """All that mends it, the best first."""
        return (() if self.remedy is None else (self.remedy,)) + self.others


@dataclass(frozen=True)
class Checked:
    """What is checked: all curves, and what they belong to.

    Attributes:
        curves: as baked.
        rate: the project's.
        scene: what they move; None where only curves are looked at.
        rests: where each property stands while nothing is heard, shape (frames,) or (3, frames), or with one frame.
        sound_s: when the last sound ends that is heard, in seconds of the project.
        extents: of 2D parts at rest on the stage, its lowest and highest x and y: shape (2, 2).
        hand_keys: the moments of keys that a hand drew, in frames, ascending.
        drivers: the ids of the mappings that move each property, in their order.
        flashing: what was measured on the stage's pictures; None where they were not drawn.
    """

    curves: Sequence[Curve]
    rate: FrameRate = _RATE
    scene: Scene | None = None
    rests: Mapping[Target, FloatArray] = field(default_factory=dict)
    sound_s: float = 0.0
    extents: Mapping[str, FloatArray] = field(default_factory=dict)
    hand_keys: Mapping[Target, FloatArray] = field(default_factory=dict)
    drivers: Mapping[Target, Sequence[str]] = field(default_factory=dict)
    flashing: Flashing | None = None

    @property
    def n_frames(self) -> int:
        """How long the curves are."""
        return max((curve.n_frames for curve in self.curves), default=0)


def _nothing(curve: Curve, params: Any) -> list[Finding]:
    return []


def _nothing_in_all(checked: Checked, params: Any) -> list[Finding]:
    return []


def _no_graph(checked: Checked) -> FloatArray:
    return np.zeros(0)


@dataclass(frozen=True)
class Check:
    """One check.

    Attributes:
        id: the file's name.
        label: what holds when nothing is found, as a sentence.
        help: one line on why it matters.
        params: the model of its limits.
        look: gives what it finds in one curve.
        look_at_all: gives what it finds in the whole project.
        graph: gives what it measured over time, as a share of what is allowed, shape (frames,); empty for no graph.
        waits: says what it waits for before it can look, as a sentence; '' where it can.
    """

    id: str
    label: str
    help: str
    params: type[Params]
    look: Callable[[Curve, Any], list[Finding]] = _nothing
    look_at_all: Callable[[Checked, Any], list[Finding]] = _nothing_in_all
    graph: Callable[[Checked], FloatArray] = _no_graph
    waits: Callable[[Checked], str] = lambda checked: ""


def name_of(curve: Curve) -> str:
    """Name a curve as sentences do: 'Lamp, turn'."""
    return f"{curve.part_name}, {curve.label.lower()}"

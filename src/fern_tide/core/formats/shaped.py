"""Parts of a hand-off whose outlines shapers move: what is written of them, and their amounts read back."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import HandOff
from fern_tide.core.scene.outlines import Outline, elements_of, outlines_of, seen_rows
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.shaping import read_shapers

ReadPoints = Callable[[tuple[str, str], Outline], "FloatArray | None"]
"""Reads the points, shape (points, 2, frames), of the outline of an element, known by its part and slot."""


@dataclass(frozen=True)
class ShapedPart:
    """A part whose outlines shapers move.

    Attributes:
        part: which.
        outlines: by their elements' places in its file.
        seen: how much of each shape is seen, shape (shapes, frames).
    """

    part: Part
    outlines: Mapping[int, Outline]
    seen: FloatArray

    @property
    def is_still(self) -> bool:
        """Whether nothing moves its outlines."""
        return bool((self.seen == self.seen[:, :1]).all())


def shaped_parts(hand_off: HandOff) -> dict[str, ShapedPart]:
    """Give the parts of a 2D scene that have shapers, by their ids."""
    shaped = {}
    for part in hand_off.scene.parts:
        if part.shapers:
            outlines = {one.node: one for one in outlines_of(hand_off.scene, hand_off.media, part)}
            shaped[part.id] = ShapedPart(part, outlines, seen_rows(part, _amounts(part, hand_off)))
    return shaped


def read_amounts(hand_off: HandOff, read_points: ReadPoints) -> dict[Target, FloatArray]:
    """Read the amounts of all shapers that curves drive, each part's from the outline that its shapes move most.

    Args:
        hand_off: what was written.
        read_points: reads an outline; None where it is not there.
    """
    values: dict[Target, FloatArray] = {}
    for part in hand_off.scene.parts:
        driven = [item.id for item in part.shaped if item.id in hand_off.by_part.get(part.id, {})]
        outlines = outlines_of(hand_off.scene, hand_off.media, part) if driven else ()
        if not outlines:
            continue
        outline = max(outlines, key=lambda one: one.strength)
        points = read_points(elements_of(hand_off.scene, part, [outline])[0], outline)
        if points is not None:
            amounts = read_shapers(part.shapers, outline.read(points), _amounts(part, hand_off))
            values |= {Target(part=part.id, property=name): amounts[name] for name in driven}
    return values


def _amounts(part: Part, hand_off: HandOff) -> dict[str, FloatArray]:
    return hand_off.rows(part, [item.id for item in part.shaped])

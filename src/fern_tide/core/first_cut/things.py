"""A thing of a scene that could be moved, alone or alike: where it stands, and how it looks."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from math import hypot

from fern_tide.core.scene.extent import Extent
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.scene import Part

LENS = "field_of_view"
_END = 0.15  # of a part's size: an anchor this near its top or base is meant to be there


class Stance(StrEnum):
    """Where a thing stands: on something, hanging from something, or free."""

    FLOOR = "floor"
    HANGS = "hangs"
    FREE = "free"


@dataclass(frozen=True, eq=False)
class Thing:
    """A part, or parts alike, that could be moved.

    Attributes:
        parts: from left to right.
        extents: where each of them is.
        words: what to call it, in the scene's own words: 'the ten cloches'.
        stance: where it stands.
        light: how light it is, 0 to 1.
        glows: whether it is a light, or looks like one.
        text: whether it is words.
        films: whether it is a camera.
        background: whether it lies behind most of the stage.
        joined: whether it belongs to a smaller whole, as a bulb does to its lamp.
    """

    parts: tuple[Part, ...]
    extents: tuple[Extent, ...]
    words: str
    stance: Stance = Stance.FREE
    light: float = 0.5
    glows: bool = False
    text: bool = False
    films: bool = False
    background: bool = False
    joined: bool = False

    @property
    def count(self) -> int:
        """How many parts."""
        return len(self.parts)

    @property
    def share(self) -> float:
        """The share of the stage that its largest part covers."""
        return max((extent.share for extent in self.extents), default=0.0)

    @property
    def hides_its_edges(self) -> bool:
        """Whether it is a plain ground under the whole stage: nothing is seen of how it grows or goes."""
        return bool(self.extents) and all(extent.hides_its_edges for extent in self.extents)

    @property
    def is_row(self) -> bool:
        """Whether it is three or more parts of about one width, side by side rather than one over the other."""
        if self.count < 3 or len(self.extents) < self.count:
            return False
        xs = [(extent.stage[0] + extent.stage[2]) / 2 for extent in self.extents]
        ys = [extent.stage[3] for extent in self.extents]
        widths = sorted(extent.stage[2] - extent.stage[0] for extent in self.extents)
        wide, span = widths[self.count // 2], max(xs) - min(xs)
        if not 0.65 * wide <= widths[0] <= widths[-1] <= 1.5 * wide:
            return False
        return span > 0.15 and span > 0.8 * wide * (self.count - 1) and max(ys) - min(ys) < 0.12

    def has(self, *names: str) -> bool:
        """Say whether all of its parts have properties of these names."""
        return all(part.has(name) for part in self.parts for name in names)

    def says(self, one: str, many: str) -> str:
        """Say what it does, with the verb that fits: 'the glass sways', 'the panes sway'."""
        plural = self.count > 1 or (self.words.endswith("s") and not self.words.endswith("ss"))
        return f"{self.words} {many if plural else one}"

    def anchors(self, *, at_top: bool) -> dict[str, Anchor]:
        """Give new anchors at the top or the base of its parts, of those whose anchor is not near there already."""
        moved = {}
        for part, extent in zip(self.parts, self.extents, strict=True):
            if extent.own is None or near_end(part, extent, at_top=at_top):
                continue
            left, top, right, bottom = extent.own
            middle, y = round((left + right) / 2, 3), round(top if at_top else bottom, 3)
            moved[part.id] = Anchor(x=middle, y=y, word="top" if at_top else "base")
        return moved


def near_end(part: Part, extent: Extent, *, at_top: bool) -> bool:
    """Say whether a 2D part's anchor lies at its top, or at its base, in the middle of that."""
    if extent.own is None:
        return False
    left, top, right, bottom = extent.own
    tall, wide = max(bottom - top, 1e-9), max(right - left, 1e-9)
    off = part.anchor.y - top if at_top else bottom - part.anchor.y
    return -_END * tall <= off <= _END * tall and abs(part.anchor.x - (left + right) / 2) <= 2 * _END * max(wide, tall)


def painted(part: Part) -> tuple[str, ...]:
    """Name the properties that may give a part its colour, the one that is seen most first."""
    return ("stroke",) if part.kind.hollow(part.shape.params) else ("fill", "colour", "stroke")


def reach_of(part: Part, extent: Extent) -> float:
    """Give how far the farthest corner of a part lies from its anchor, as a share of the stage's height."""
    left, top, right, bottom = extent.stage
    if extent.own is None:
        return hypot(right - left, bottom - top) / 2
    wide = max(extent.own[2] - extent.own[0], 1e-9)
    tall = max(extent.own[3] - extent.own[1], 1e-9)
    across = (part.anchor.x - extent.own[0]) / wide
    down = (part.anchor.y - extent.own[1]) / tall
    return max(
        hypot((x - across) * (right - left), (y - down) * (bottom - top)) for x in (0.0, 1.0) for y in (0.0, 1.0)
    )

"""What cuts things in drawings, as Lottie has it: the outlines of clips, and the boxes that compositions must have."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from math import ceil, floor

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.formats.lottie_shapes import SHAPES, Item, bezier, px, still, tag_of
from fern_tide.core.formats.lottie_text import runs_of, straight
from fern_tide.core.scene.svg.geometry import Box, Matrix, length, matrix_of, product, viewed
from fern_tide.core.scene.svg.outline import shape_curves, strokes_of

_IN_SHARES = "objectBoundingBox"
_STEPS = np.array([0.0, 0.25, 0.5, 0.75])[:, np.newaxis, np.newaxis]
_DEEPEST = 8  # uses of uses
_MOST_AROUND = 64  # outlines about one
_Named = Mapping[str, ET.Element]


class Untold(Exception):
    """Where something is cut cannot be told: by shares of a box that is not known."""


@dataclass(frozen=True)
class Window:
    """What is seen of something that is cut.

    Attributes:
        low: the upper left corner of its box, in whole px.
        size: of its box, in whole px, at least 1.
        masks: the outlines that cut it within its box, as a layer has them.
    """

    low: tuple[int, int]
    size: tuple[int, int]
    masks: tuple[Item, ...] = ()


def address(element: ET.Element) -> str:
    """Give what an element refers to; '' where it refers to nothing."""
    return element.get("href") or element.get("{http://www.w3.org/1999/xlink}href") or ""


def cutter_of(element: ET.Element, attribute: str, named: _Named) -> ET.Element | None:
    """Give what an attribute such as 'url(#name)' says that an element is cut by."""
    return named.get(element.get(attribute, "").strip()[5:-1].strip("'\""))


def clip_window(clip: ET.Element, *, named: _Named, box: Box | None) -> Window | None:
    """Give what a clip path leaves to be seen (SVG: clipPath); None where it leaves nothing.

    Args:
        clip: the element.
        named: the drawing's elements by their ids.
        box: of what it cuts, where that is known.

    Raises:
        Untold: where it cuts.
    """
    at = product(_shares(clip, "clipPathUnits", box), matrix_of(clip.get("transform", "")))
    outlines: list[tuple[FloatArray, str]] = []
    for child in clip:
        for shape, matrix in _shapes(child, at, named):
            if tag_of(shape) == "image":
                continue  # none cuts
            rule = shape.get("clip-rule") or clip.get("clip-rule")
            outlines += _in_turn(_strokes(shape, matrix), even_odd=rule == "evenodd")
    return _cut_by(outlines) if outlines else None


class Clips:
    """The windows of a drawing's clip paths: many elements can have the same one."""

    def __init__(self, named: _Named) -> None:
        self._named = named
        self._known: dict[tuple[ET.Element, Box | None], Window | None] = {}

    def window(self, clip: ET.Element, *, box: Box | None) -> Window | None:
        """Give clip_window of a clip path."""
        key = (clip, box if clip.get("clipPathUnits") else None)
        if key not in self._known:
            self._known[key] = clip_window(clip, named=self._named, box=box)
        return self._known[key]


def view_window(attributes: Mapping[str, str]) -> Window | None:
    """Give what an svg element leaves to be seen of what lies in it, as that counts; None where its size is not known.

    Args:
        attributes: the element's.
    """
    wide, tall = length(attributes.get("width")), length(attributes.get("height"))
    a, b, c, d, e, f = viewed(attributes)
    if not wide or not tall or not a or not d or b or c or attributes.get("overflow") == "visible":
        return None
    x, y = length(attributes.get("x")) or 0.0, length(attributes.get("y")) or 0.0
    box = {"x": (x - e) / a, "y": (y - f) / d, "width": wide / a, "height": tall / d}
    return _cut_by([(shape_curves("rect", {name: f"{value:.9f}" for name, value in box.items()})[..., :2], "a")])


def _cut_by(outlines: Sequence[tuple[FloatArray, str]]) -> Window:
    """Give what is left to be seen by outlines that add and take away in turn."""
    plain = _about([curves for curves, _ in outlines])
    masks = tuple(
        {
            "mode": mode,
            "inv": False,
            "o": still(100),
            "pt": {"a": 0, "k": bezier(curves - np.array(plain.low), True)},
            "x": still(0),
        }
        for curves, mode in outlines
    )
    return Window(plain.low, plain.size, masks)


def mask_window(mask: ET.Element, *, named: _Named, box: Box | None) -> Window | None:
    """Give the box of what a mask can leave to be seen (SVG: mask); None where it has nothing in it.

    Raises:
        Untold: where it cuts.
    """
    at, points = _shares(mask, "maskContentUnits", box), list[FloatArray]()
    for child in mask:
        for shape, matrix in _shapes(child, at, named):
            grown = (length(shape.get("stroke-width", "1")) or 0.0) if shape.get("stroke", "none") != "none" else 0.0
            for curves in _strokes(shape, matrix):
                points += [curves - grown, curves + grown]
    sizes = {name: mask.get(name, "") for name in ("x", "y", "width", "height")}
    in_px = mask.get("maskUnits") == "userSpaceOnUse" and all(length(text) is not None for text in sizes.values())
    region = shape_curves("rect", sizes)[..., :2] if in_px else np.zeros((0, 4, 2))
    if not points or (in_px and not len(region)):
        return None
    return _cut_by([(region, "a")]) if in_px else _about(points)


def _shares(cutter: ET.Element, units: str, box: Box | None) -> Matrix:
    """Give what places what is counted in shares of a box, or in px."""
    if cutter.get(units) != _IN_SHARES:
        return (1.0, 0.0, 0.0, 1.0, 0.0, 0.0)
    if box is None:
        raise Untold
    return (box[2] - box[0], 0.0, 0.0, box[3] - box[1], box[0], box[1])


def _shapes(
    element: ET.Element, at: Matrix, named: _Named, deep: int = _DEEPEST
) -> Iterator[tuple[ET.Element, Matrix]]:
    """Give the shapes, texts and pictures in an element, each with what places it."""
    if not deep or element.get("display") == "none" or element.get("visibility") == "hidden":
        return
    here, tag = product(at, matrix_of(element.get("transform", ""))), tag_of(element)
    if tag in SHAPES or tag in {"image", "text"}:
        yield element, here
    elif tag == "use":
        wanted = named.get(address(element)[1:])
        moved = product(here, (1.0, 0.0, 0.0, 1.0, px(element, "x"), px(element, "y")))
        if wanted is not None:
            yield from _shapes(wanted, moved, named, deep - 1)
    else:
        for child in element:
            yield from _shapes(child, here, named, deep)


def _strokes(shape: ET.Element, at: Matrix) -> list[FloatArray]:
    """Give the outlines of a shape where it lies, each of shape (curves, 4, 2)."""
    a, b, c, d, e, f = at
    turned, moved = np.array([[a, b], [c, d]]), np.array([e, f])
    if tag_of(shape) == "text":
        outlines = [straight(loop) for run in runs_of(shape) for loop in run.loops]
    else:
        tag = "rect" if tag_of(shape) == "image" else tag_of(shape)
        outlines = [curves[..., :2] for curves, _ in strokes_of(tag, shape.attrib)]
    return [curves @ turned + moved for curves in outlines]


def _about(outlines: Sequence[FloatArray]) -> Window:
    points = np.concatenate([curves.reshape(-1, 2) for curves in outlines])
    low = [floor(value) for value in points.min(axis=0)]
    wide, tall = (max(1, ceil(value) - first) for value, first in zip(points.max(axis=0), low, strict=True))
    return Window((low[0], low[1]), (wide, tall))


def _in_turn(strokes: list[FloatArray], *, even_odd: bool) -> list[tuple[FloatArray, str]]:
    """Say of a shape's outlines, the outer ones first, whether each adds ('a') or takes away ('s')."""
    rings = [_ring(curves) for curves in strokes]
    turns = [_turn(ring) for ring in rings]
    lows, highs = (np.stack([end(ring, axis=0) for ring in rings] or [np.zeros(2)]) for end in (np.min, np.max))
    in_turn: list[tuple[int, int, str]] = []
    for place, ring in enumerate(rings):
        near = np.flatnonzero((lows <= ring[0]).all(axis=1) & (highs >= ring[0]).all(axis=1))[:_MOST_AROUND].tolist()
        around = [other for other in near if other != place and _inside(ring[0], rings[other])]
        outside = len(around) % 2 if even_odd else sum(turns[other] for other in around)
        inside = (outside + 1) % 2 if even_odd else outside + turns[place]
        if bool(outside) != bool(inside):
            in_turn.append((len(around), place, "a" if inside else "s"))
    return [(strokes[place], mode) for _, place, mode in sorted(in_turn)]


def _ring(curves: FloatArray) -> FloatArray:
    """Give points along an outline, shape (points, 2)."""
    one, two, three, four = (curves[np.newaxis, :, at] for at in range(4))
    t, s = _STEPS, 1.0 - _STEPS
    along = s**3 * one + 3 * s**2 * t * two + 3 * s * t**2 * three + t**3 * four
    return np.asarray(along.transpose(1, 0, 2).reshape(-1, 2))


def _turn(ring: FloatArray) -> int:
    """Say which way round an outline goes: 1 or -1; 0 where it has no area."""
    x, y = ring.T
    return int(np.sign(float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())))


def _inside(point: FloatArray, ring: FloatArray) -> bool:
    """Say whether a point lies in an outline: a line from it crosses that an odd number of times."""
    ends = np.roll(ring, -1, axis=0)
    crosses = (ring[:, 1] > point[1]) != (ends[:, 1] > point[1])
    one, other = ring[crosses], ends[crosses]
    at = one[:, 0] + (point[1] - one[:, 1]) * (other[:, 0] - one[:, 0]) / (other[:, 1] - one[:, 1])
    return bool((at > point[0]).sum() % 2)

"""Path data as cubic curves: what moves along a shape runs along these."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import lru_cache
from itertools import pairwise
from math import ceil, pi, tan

import numpy as np

from fern_tide.core.base.signal import FloatArray, frozen
from fern_tide.core.scene.svg.arcs import Point, arc_of
from fern_tide.core.scene.svg.bounds import absolute, pieces
from fern_tide.core.scene.svg.geometry import NUMBER, length, number

_ARC_STEP = pi / 8  # of arcs: cubic curves are off by 4e-7 of the radius then
OUTLINED = frozenset(("path", "rect", "circle", "ellipse", "line", "polyline", "polygon"))
"""The tags of what has an outline."""
Curve = tuple[Point, Point, Point, Point]


@lru_cache(maxsize=64)
def path_curves(data: str) -> FloatArray:
    """Give the first stroke of path data (SVG 2, chapter 9) that has a length, shape (curves, 4, 3), z = 0.

    The very same text is read once: it is asked for with every edit of the scene.
    """
    for curves, _ in _strokes(data):
        if any(curve[0] != curve[3] for curve in curves):
            return _array(curves)
    return _array([])


def path_strokes(data: str) -> list[tuple[FloatArray, bool]]:
    """Give all strokes of path data, each as its curves, shape (curves, 4, 3), and whether it is closed."""
    return [(_array(curves), closed) for curves, closed in _strokes(data) if curves]


def strokes_of(tag: str, attributes: Mapping[str, str]) -> list[tuple[FloatArray, bool]]:
    """Give all strokes of a basic shape or a path, as path_strokes does; none of what has no outline."""
    if tag == "path":
        return path_strokes(attributes.get("d", ""))
    curves = shape_curves(tag, attributes)
    return [(curves, tag not in {"line", "polyline"})] if len(curves) else []


def _strokes(data: str) -> Iterator[tuple[list[Curve], bool]]:
    curves: list[Curve] = []
    here = start = handle = (0.0, 0.0)
    last = ""
    for verb, numbers in pieces(data):
        kind = verb.upper()
        if kind == "Z":
            curves.append(_line(here, start))
            yield curves, True
            here, last, curves = start, kind, []
            continue
        way = absolute(kind, numbers, by=here if verb.islower() else (0.0, 0.0), here=here)
        if kind in "ST":
            smooth = last in ({"C", "S"} if kind == "S" else {"Q", "T"})
            way.insert(0, (2 * here[0] - handle[0], 2 * here[1] - handle[1]) if smooth else here)
        first = here
        here, handle, last = way[-1], way[-2] if len(way) > 1 else way[-1], kind
        if kind == "M":
            yield curves, False
            start, curves = here, []
        elif kind == "A":
            curves += arc_curves(first, numbers, here)
        elif len(way) == 3:
            curves.append((first, way[0], way[1], way[2]))
        elif len(way) == 2:
            curves.append(_quadratic(first, way[0], way[1]))
        else:
            curves.append(_line(first, here))
    yield curves, False


def path_data(curves: FloatArray) -> str:
    """Write curves of shape (curves, 4, 2 or 3) that begin where the one before ends as path data; z is left out."""
    begin = " ".join(number(value) for value in curves[0, 0, :2].tolist())
    rest = (" ".join(number(value) for value in curve[1:, :2].ravel().tolist()) for curve in curves)
    return f"M{begin}" + "".join(f"C{one}" for one in rest)


def shape_curves(tag: str, attributes: Mapping[str, str]) -> FloatArray:
    """Give the outline of a basic shape, begun where SVG 2, chapter 10, begins it; shape (curves, 4, 3)."""

    if tag not in OUTLINED:
        return _array([])

    def px(name: str, otherwise: float = 0.0) -> float:
        value = length(attributes.get(name, ""))
        return otherwise if value is None else value

    if tag in {"circle", "ellipse"}:
        rx, ry = (px("r"), px("r")) if tag == "circle" else (px("rx"), px("ry"))
        x, y = px("cx"), px("cy")
        half = [rx, ry, 0.0, 0.0, 1.0]
        return _array([*arc_curves((x + rx, y), half, (x - rx, y)), *arc_curves((x - rx, y), half, (x + rx, y))])
    if tag == "rect":
        x, y, wide, tall = px("x"), px("y"), px("width"), px("height")
        round_x, round_y = px("rx", px("ry")), px("ry", px("rx"))
        return _array(_rectangle((x, y), (x + wide, y + tall), min(round_x, wide / 2), min(round_y, tall / 2)))
    if tag == "line":
        return _array([_line((px("x1"), px("y1")), (px("x2"), px("y2")))])
    if tag in {"polygon", "polyline"}:
        numbers = [float(word) for word in NUMBER.findall(attributes.get("points", ""))]
        points = list(zip(numbers[::2], numbers[1::2], strict=False))
        points += points[:1] if tag == "polygon" else []
        return _array([_line(one, other) for one, other in pairwise(points)])
    return path_curves(attributes.get("d", ""))


def _rectangle(low: Point, high: Point, rx: float, ry: float) -> list[Curve]:
    """Give a rectangle, round at its corners where both radii are more than nothing (SVG 2, 10.2)."""
    (x, y), (u, v) = low, high
    if not (rx > 0 and ry > 0):
        return [_line(one, other) for one, other in pairwise([(x, y), (u, y), (u, v), (x, v), (x, y)])]
    ends = [(x + rx, y), (u - rx, y), (u, y + ry), (u, v - ry), (u - rx, v), (x + rx, v), (x, v - ry), (x, y + ry)]
    curves: list[Curve] = []
    for place, (one, other) in enumerate(pairwise([*ends, ends[0]])):
        if place % 2:
            curves += arc_curves(one, [rx, ry, 0.0, 0.0, 1.0], other)
        elif one != other:
            curves.append(_line(one, other))
    return curves


def _array(curves: list[Curve]) -> FloatArray:
    flat = np.array(curves, dtype=np.float64).reshape(-1, 4, 2)
    return frozen(np.concatenate([flat, np.zeros((len(flat), 4, 1))], axis=2))


def _line(one: Point, other: Point) -> Curve:
    (x, y), (u, v) = one, other
    return one, (x + (u - x) / 3, y + (v - y) / 3), (x + (u - x) * 2 / 3, y + (v - y) * 2 / 3), other


def _quadratic(first: Point, handle: Point, last: Point) -> Curve:
    one = (first[0] + (handle[0] - first[0]) * 2 / 3, first[1] + (handle[1] - first[1]) * 2 / 3)
    other = (last[0] + (handle[0] - last[0]) * 2 / 3, last[1] + (handle[1] - last[1]) * 2 / 3)
    return first, one, other, last


def arc_curves(start: Point, numbers: list[float], end: Point) -> list[Curve]:
    """Give an elliptical arc (SVG 1.1, F.6.5 and F.6.6) as cubic curves, none over an eighth of half a turn.

    Args:
        start: where it begins.
        numbers: both radii, the lean in degrees, and whether it is the large one, and goes clockwise.
        end: where it ends.
    """
    if start == end:
        return []
    arc = arc_of(start, numbers, end)
    if arc is None:
        return [_line(start, end)]
    count = max(1, ceil(abs(arc.sweep) / _ARC_STEP))
    step = arc.sweep / count
    reach = 4 / 3 * tan(step / 4)
    angles = [arc.first + step * n for n in range(count + 1)]
    curves = [(arc.at(a), arc.at(a, along=reach), arc.at(b, along=-reach), arc.at(b)) for a, b in pairwise(angles)]
    curves[0] = (start, *curves[0][1:])
    curves[-1] = (*curves[-1][:3], end)
    return curves

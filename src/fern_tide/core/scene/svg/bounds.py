"""The boxes of SVG shapes: exact ends of lines, curves and arcs."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from itertools import pairwise
from math import atan2, cos, pi, sin, sqrt

from fern_tide.core.scene.svg.arcs import Point, arc_of
from fern_tide.core.scene.svg.geometry import NUMBER, Box, Matrix, length

_COMMAND = re.compile(r"([MmLlHhVvCcSsQqTtAaZz])([^MmLlHhVvCcSsQqTtAaZz]*+)")
_N, _GAP = r"([-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)", r"[\s,]*+"
_ARC = re.compile(_GAP.join([_N, _N, _N, "([01])", "([01])", _N, _N]))  # flags may stand without a gap
_TAKES = {"M": 2, "L": 2, "H": 1, "V": 1, "C": 6, "S": 4, "Q": 4, "T": 2, "A": 7}
_WIDE, _ABOVE, _BELOW = 0.55, 0.8, 0.2  # of a letter, in em: nothing is drawn here to measure it

_LONGEST_RECTANGLE = 200  # letters of a path
LONGEST_DATA = 1 << 20  # letters of a path: where longer ones lie is not looked for, which would take seconds


def path_box(data: str) -> Box | None:
    """Give the box of path data (SVG 2, chapter 9): left, top, right, bottom; None where nothing is drawn."""
    return box_of(_reached(data))


def box_of(points: Iterable[Point]) -> Box | None:
    """Give the box about points, or None about none."""
    listed = list(points)
    if not listed:
        return None
    xs, ys = [x for x, _ in listed], [y for _, y in listed]
    return min(xs), min(ys), max(xs), max(ys)


def joined(boxes: Iterable[Box | None]) -> Box | None:
    """Give the box about boxes, or None about none."""
    return box_of(point for box in boxes if box is not None for point in ((box[0], box[1]), (box[2], box[3])))


def moved(box: Box, matrix: Matrix) -> Box:
    """Give the box about a box that a matrix moves."""
    a, b, c, d, e, f = matrix
    corners = [(x, y) for x in (box[0], box[2]) for y in (box[1], box[3])]
    placed = box_of((a * x + c * y + e, b * x + d * y + f) for x, y in corners)
    assert placed is not None
    return placed


def shape_box(tag: str, attributes: Mapping[str, str], text: str = "") -> Box | None:
    """Give the box of a basic shape from its attributes, its stroke left out; None of what draws nothing by itself.

    Words are taken to be 0.55 em wide a letter.
    """

    def px(name: str, otherwise: float = 0.0) -> float:
        value = length((attributes.get(name, "").replace(",", " ").split() or [""])[0])
        return otherwise if value is None else value

    if tag in {"circle", "ellipse"}:
        rx, ry = (px("r"), px("r")) if tag == "circle" else (px("rx"), px("ry"))
        return px("cx") - rx, px("cy") - ry, px("cx") + rx, px("cy") + ry
    if tag in {"rect", "image"}:
        return px("x"), px("y"), px("x") + px("width"), px("y") + px("height")
    if tag == "line":
        return box_of([(px("x1"), px("y1")), (px("x2"), px("y2"))])
    if tag in {"polygon", "polyline"}:
        numbers = [float(word) for word in NUMBER.findall(attributes.get("points", ""))]
        return box_of(zip(numbers[::2], numbers[1::2], strict=False))
    if tag in {"text", "tspan"} and text.strip():
        size = px("font-size", 16.0)
        wide = len(" ".join(text.split())) * (size * _WIDE + px("letter-spacing"))
        left = px("x") - wide * {"middle": 0.5, "end": 1.0}.get(attributes.get("text-anchor", ""), 0.0)
        return left, px("y") - size * _ABOVE, left + wide, px("y") + size * _BELOW
    data = attributes.get("d", "")
    return path_box(data) if tag == "path" and len(data) <= LONGEST_DATA else None


def is_rectangle(tag: str, attributes: Mapping[str, str]) -> bool:
    """Say whether a basic shape is a rectangle that stands upright, with sharp corners."""
    if tag == "rect":
        return not any(length(attributes.get(name)) for name in ("rx", "ry"))
    if tag in {"polygon", "polyline"}:
        data = f"M{attributes.get('points', '')}"
    else:
        data = attributes.get("d", "") if tag == "path" else ""
    if len(data) > _LONGEST_RECTANGLE or any(verb.upper() not in "MLHVZ" for verb, _ in pieces(data)):
        return False
    points = set(_reached(data))
    box = box_of(points)
    return box is not None and points == {(x, y) for x in box[::2] for y in box[1::2]} and len(points) == 4


def pieces(data: str) -> Iterator[tuple[str, list[float]]]:
    """Give a path's commands with the numbers of each, as far as it can be read; a move goes on in lines."""
    for verb, rest in _COMMAND.findall(data):
        if verb in "Zz":
            yield "Z", []
            continue
        count = _TAKES[verb.upper()]
        words_of = _ARC.findall(rest) if verb in "Aa" else [NUMBER.findall(rest)]
        numbers = [float(word) for words in words_of for word in words]
        for at in range(0, len(numbers) - count + 1, count):
            yield verb, numbers[at : at + count]
            verb = {"m": "l", "M": "L"}.get(verb, verb)
        if len(numbers) % count or not numbers:
            return  # what cannot be read ends the path (SVG 2, 9.5.4)


def _reached(data: str) -> Iterator[Point]:
    """Give points that a path reaches to: its ends, and where its curves turn back."""
    here = start = handle = (0.0, 0.0)
    last = ""
    for verb, numbers in pieces(data):
        kind = verb.upper()
        if kind == "Z":
            here, last = start, kind
            continue
        way = absolute(kind, numbers, by=here if verb.islower() else (0.0, 0.0), here=here)
        first = here
        if kind in "ST":
            smooth = last in ({"C", "S"} if kind == "S" else {"Q", "T"})
            way.insert(0, (2 * here[0] - handle[0], 2 * here[1] - handle[1]) if smooth else here)
        here, handle, last = way[-1], way[-2] if len(way) > 1 else way[-1], kind
        if kind == "M":
            start = here  # by itself it draws nothing
            continue
        yield first
        yield here
        if kind == "A":
            yield from _arc(first, numbers, here)
        elif len(way) > 1:
            yield from _turns([first, *way])


def absolute(kind: str, numbers: list[float], *, by: Point, here: Point) -> list[Point]:
    """Give the points of a command: its handles, and its end."""
    if kind == "H":
        return [(numbers[0] + by[0], here[1])]
    if kind == "V":
        return [(here[0], numbers[0] + by[1])]
    pairs = numbers[5:] if kind == "A" else numbers
    return [(x + by[0], y + by[1]) for x, y in zip(pairs[::2], pairs[1::2], strict=True)]


def _turns(points: list[Point]) -> Iterator[Point]:
    """Give where a quadratic or cubic curve turns back across or down: where its derivative is 0."""
    for axis in (0, 1):
        p = [point[axis] for point in points]
        if min(p[0], p[-1]) <= min(p) and max(p) <= max(p[0], p[-1]):
            continue  # no handle lies beyond the ends
        if len(p) == 3:
            shares = [_ratio(p[0] - p[1], p[0] - 2 * p[1] + p[2])]
        else:
            a, b, c = -p[0] + 3 * p[1] - 3 * p[2] + p[3], 2 * (p[0] - 2 * p[1] + p[2]), p[1] - p[0]
            under = b * b - 4 * a * c
            root = sqrt(max(0.0, under))
            shares = (
                [_ratio(-c, b)] if abs(a) < 1e-12 else [] if under < 0 else [(-b + s * root) / (2 * a) for s in (1, -1)]
            )
        for share in shares:
            if 0 < share < 1:
                yield _at(points, share)


def _ratio(above: float, below: float) -> float:
    return above / below if below else -1.0


def _at(points: list[Point], share: float) -> Point:
    """Give a point of a curve (de Casteljau)."""
    while len(points) > 1:
        points = [(x + (u - x) * share, y + (v - y) * share) for (x, y), (u, v) in pairwise(points)]
    return points[0]


def _arc(start: Point, numbers: list[float], end: Point) -> Iterator[Point]:
    """Give where an elliptical arc reaches farthest across and down."""
    arc = arc_of(start, numbers, end)
    if arc is None:
        return
    (rx, ry), co, si = arc.radii, cos(arc.lean), sin(arc.lean)
    for top in (atan2(-ry * si, rx * co), atan2(ry * co, rx * si)):
        for angle in (top, top + pi):
            gone = (angle - arc.first) % (2 * pi) if arc.sweep > 0 else -((arc.first - angle) % (2 * pi))
            if abs(gone) < abs(arc.sweep):
                yield arc.at(angle)

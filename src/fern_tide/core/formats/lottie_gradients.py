"""Gradients of drawings as Lottie has them, with what moves in their stops (SVG 2, 14.2; Lottie 1.0, 'Gradient').

A gradient takes what it does not say itself from the one that it refers to. Lottie's run straight from a start to an
end, or in circles: one that lies askew is laid so that its colours fall on the same places, and ellipses are circles in
a frame of their own. Colours that are repeated are written out as often as they are seen.
"""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from math import atan2, ceil, cos, degrees, floor, hypot, sin, sqrt
from typing import Any

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.formats.format import KeyParams
from fern_tide.core.formats.lottie_clips import address
from fern_tide.core.formats.lottie_shapes import Item, still, tag_of
from fern_tide.core.formats.lottie_values import moving, read_moving
from fern_tide.core.scene.svg.colours import colour_of
from fern_tide.core.scene.svg.geometry import Box, Matrix, inverse, length, matrix_of, product, share

GRADIENTS = frozenset(("linearGradient", "radialGradient"))
_MOST_ROUNDS = 100
"""So often colours are repeated at most."""
_NEARLY_ROUND = 1e-6
_INNERMOST = 0.99
"""How far out of the middle a focus lies at most, as players have it."""
Motion = tuple[str, Mapping[str, Curve]]
"""Whose a stop is, '-' for nobody's, and the curves of its attributes."""
Point = tuple[float, float]


@dataclass(frozen=True)
class _Lie:
    """How a gradient lies.

    Attributes:
        start: where its first colour is, or the middle of its circles.
        end: where its last colour is.
        rounds: the first and the one after the last of the rounds of its colours that are seen, the first one even.
        focus: how far out of the middle the first colour is, in percent of the way to the end, and at what angle from
            that way, in degrees.
        frame: that it lies in, where its circles are ellipses.
    """

    start: Point
    end: Point
    rounds: tuple[int, int] = (0, 1)
    focus: tuple[float, float] = (0.0, 0.0)
    frame: Matrix | None = None


class Gradients:
    """The gradients of a drawing, by their ids."""

    def __init__(self, root: ET.Element, params: KeyParams, motion_of: Callable[[ET.Element], Motion]) -> None:
        self._params, self._motion_of = params, motion_of
        self._servers: dict[str, ET.Element] = {}
        self._views: dict[ET.Element, Point] = {}
        for svg in (one for one in root.iter() if tag_of(one) == "svg"):
            view = _view(svg)
            for one in svg.iter():
                if tag_of(one) in GRADIENTS:
                    self._views[one] = view
                    self._servers[one.get("id", "")] = one

    def item(self, kind: str, name: str, opacity: float, boxes: Sequence[Box]) -> Item | None:
        """Give a gradient as a fill ('gf') or a stroke ('gs'); None where SVG paints nothing.

        Args:
            kind: which.
            name: the gradient's id.
            opacity: from 0 to 1.
            boxes: about the shape that it paints, in the shape's own coordinates, one a frame where it changes; none
                where it is not known.

        Returns:
            The item; a fill whose circles are ellipses has the frame that it lies in as 'frame'. In a stroke they are
            round, since a line would be wider one way than the other.
        """
        if name not in self._servers:
            return None
        server = self._servers[name]
        attributes, stops = self._resolved(server)
        spread = attributes.get("spreadMethod", "pad")
        spreads = spread in {"reflect", "repeat"}
        known: Sequence[Box | None] = boxes or (None,)
        lies = [_lie(attributes, box, view=self._views[server], spreads=spreads, framed=kind == "gf") for box in known]
        first, among = lies[0], [lie for lie in lies if lie is not None]
        if not stops or first is None:
            return None
        item = _laid(kind, first.start, first.end) | self._colours(stops, spread, first.rounds)
        if len(among) == len(boxes) > 1 and all((lie.rounds, lie.frame) == (first.rounds, None) for lie in among):
            item["s"] = moving(np.array([lie.start for lie in among]).T, self._params)
            item["e"] = moving(np.array([lie.end for lie in among]).T, self._params)
        item["o"] = still(100 * opacity)
        if attributes["tag"] == "radialGradient":
            item |= {"t": 2, "h": still(first.focus[0]), "a": still(first.focus[1])}
        return item if first.frame is None else {**item, "frame": first.frame}

    def of_stop(self, stop: ET.Element) -> Item:
        """Give a gradient of nothing but one stop, for numbers that nobody sees."""
        return _laid("gf", (0.0, 0.0), (1.0, 0.0)) | self._colours([stop], "pad", (0, 1))

    def _resolved(self, server: ET.Element) -> tuple[dict[str, str], list[ET.Element]]:
        """Give what a gradient says, itself or by what it refers to, and its stops."""
        chain = [server]
        while (following := self._servers.get(address(chain[-1])[1:])) is not None and following not in chain:
            chain.append(following)
        stops = ([stop for stop in one if tag_of(stop) == "stop"] for one in chain)
        attributes = {name: text for one in reversed(chain) for name, text in one.attrib.items()}
        return {**attributes, "tag": tag_of(server)}, next(filter(None, stops), [])

    def _colours(self, stops: Sequence[ET.Element], spread: str, rounds: tuple[int, int]) -> dict[str, Any]:
        """Give the stops as Lottie lists them: all places and colours, then all places and strengths."""
        motions = [self._motion_of(stop) for stop in stops]
        n_frames = max((curve.n_frames for _, curves in motions for curve in curves.values()), default=0)
        rows = [_rows(stop, curves, max(1, n_frames)) for stop, (_, curves) in zip(stops, motions, strict=True)]
        values = np.stack(rows)
        values[:, 0] = np.maximum.accumulate(values[:, 0])
        names = [name for name, _ in motions]
        if spread in {"reflect", "repeat"}:
            values, names = _repeated(values, rounds, turning=spread == "reflect"), ["-", *names, "-"]
        colours, strengths = values[:, :4], values[:, [0, 4]]
        both = np.concatenate([colours.reshape(-1, max(1, n_frames)), strengths.reshape(-1, max(1, n_frames))])
        listed = {"g": {"p": len(values), "k": moving(both, self._params)}}
        return {**listed, "nm": " ".join(names)} if n_frames else listed


def _laid(kind: str, start: Point, end: Point) -> Item:
    return {"ty": kind, "t": 1, "s": still(start), "e": still(end), "o": still(100)}


def _view(svg: ET.Element) -> Point:
    """Give what percentages in an svg element are shares of."""
    numbers = [length(word) for word in svg.get("viewBox", "").replace(",", " ").split()]
    wide, tall = numbers[2:4] if len(numbers) == 4 else (length(svg.get("width")), length(svg.get("height")))
    return wide or 0.0, tall or 0.0


def _rows(stop: ET.Element, curves: Mapping[str, Curve], n_frames: int) -> FloatArray:
    """Give a stop's place, its colour and how strong it is, all from 0 to 1, shape (5, frames)."""
    rgb, _ = colour_of(stop.get("stop-color", "#000000")) or ([0.0] * 3, 1.0)  # its opacity stands beside it
    values = np.empty((5, n_frames))
    values[0] = curves["offset"].values if "offset" in curves else share(stop.get("offset", "0"))
    values[1:4] = curves["stop-color"].values if "stop-color" in curves else np.array(rgb)[:, np.newaxis]
    values[4] = curves["stop-opacity"].values if "stop-opacity" in curves else share(stop.get("stop-opacity", "1"))
    values[[0, 4]] = values[[0, 4]].clip(0.0, 1.0)
    return values


def _repeated(values: FloatArray, rounds: tuple[int, int], *, turning: bool) -> FloatArray:
    """Give stops, shape (stops, 5, frames), as often as their colours are seen.

    Args:
        values: the stops.
        rounds: of which to before which they are seen, the first one even.
        turning: odd rounds go back.
    """
    once = np.concatenate([values[:1], values, values[-1:]])
    once[0, 0], once[-1, 0] = 0.0, 1.0
    back = once[::-1].copy()
    back[:, 0] = 1 - back[:, 0]
    first, end = rounds
    all_of_them = []
    for at in range(first, end):
        one = (back if turning and at % 2 else once).copy()
        one[:, 0] = (at - first + one[:, 0]) / (end - first)
        all_of_them.append(one)
    return np.concatenate(all_of_them)


def _lie(attributes: Mapping[str, str], box: Box | None, *, view: Point, spreads: bool, framed: bool) -> _Lie | None:
    """Say how a gradient lies on a shape; None where it paints nothing, or its box is not known."""
    at: Matrix = (1.0, 0.0, 0.0, 1.0, 0.0, 0.0)
    sizes: Point | None = view
    if attributes.get("gradientUnits") != "userSpaceOnUse":
        if box is None:
            return None
        at, sizes = (box[2] - box[0], 0.0, 0.0, box[3] - box[1], box[0], box[1]), None
    matrix = product(at, matrix_of(attributes.get("gradientTransform", "")))
    back = inverse(matrix)
    if back is None:
        return None

    def value(name: str, otherwise: str = "0%") -> float:
        text = attributes.get(name, otherwise).strip()
        if sizes is None or not text.endswith("%"):
            return share(text)
        across = hypot(*sizes) / sqrt(2) if name.endswith("r") else sizes[name[-1] == "y" or name[0] == "y"]
        return share(text) * across

    seen = [box] if spreads and box is not None else []
    corners = [_moved(back, (x, y)) for left, top, right, low in seen for x in (left, right) for y in (top, low)]
    if attributes["tag"] == "linearGradient":
        return _line((value("x1"), value("y1")), (value("x2", "100%"), value("y2")), matrix=matrix, corners=corners)
    middle, radius = (value("cx", "50%"), value("cy", "50%")), value("r", "50%")
    focus = (value("fx") if "fx" in attributes else middle[0], value("fy") if "fy" in attributes else middle[1])
    lie = _circle(middle, radius, focus, corners=corners)
    return replace(lie, frame=matrix) if framed and not _is_round(matrix) else _unframed(lie, matrix)


def _line(one: Point, other: Point, *, matrix: Matrix, corners: Sequence[Point]) -> _Lie:
    """Lay a straight gradient: across it, colours stay the same in the gradient's own coordinates."""
    a, b, c, d, _, _ = matrix
    way = (other[0] - one[0], other[1] - one[1])
    far = way[0] ** 2 + way[1] ** 2
    if not far:  # all is the last colour (SVG 2, 14.2.2.2)
        start = _moved(matrix, one)
        return _Lie((start[0] - 2e6, start[1]), (start[0] - 1e6, start[1]))
    shares = [((x - one[0]) * way[0] + (y - one[1]) * way[1]) / far for x, y in corners]
    first, end = _rounds(min(shares, default=0.0), max(shares, default=1.0))
    begin = (one[0] + first * way[0], one[1] + first * way[1])
    size = a * d - b * c
    grows = far * size
    up = ((d * way[0] - b * way[1]) / grows, (a * way[1] - c * way[0]) / grows)  # the share, on the shape
    steep = (up[0] ** 2 + up[1] ** 2) / (end - first)
    start = _moved(matrix, begin)
    return _Lie(start, (start[0] + up[0] / steep, start[1] + up[1] / steep), (first, end))


def _circle(middle: Point, radius: float, focus: Point, *, corners: Sequence[Point]) -> _Lie:
    """Lay a round gradient in its own coordinates."""
    if radius <= 0:  # all is the last colour
        return _Lie((middle[0] - 2e6, middle[1]), (middle[0] - 1e6, middle[1]))
    out = (focus[0] - middle[0], focus[1] - middle[1])
    if (far := hypot(*out)) > _INNERMOST * radius:
        out = (out[0] * _INNERMOST * radius / far, out[1] * _INNERMOST * radius / far)
        focus = (middle[0] + out[0], middle[1] + out[1])
    most = max((hypot(x - focus[0], y - focus[1]) / (radius - hypot(*out)) for x, y in corners), default=1.0)
    _, end = _rounds(0.0, most)
    high, turn = 100 * hypot(*out) / radius, degrees(atan2(out[1], out[0]))
    middle, radius = (focus[0] - end * out[0], focus[1] - end * out[1]), end * radius
    return _Lie(middle, (middle[0] + radius, middle[1]), (0, end), (high, turn))


def _is_round(matrix: Matrix) -> bool:
    """Say whether circles stay circles, gone round the same way."""
    a, b, c, d, _, _ = matrix
    return max(abs(a - d), abs(b + c)) <= _NEARLY_ROUND * hypot(a, b)


def _unframed(lie: _Lie, matrix: Matrix) -> _Lie:
    """Lay a round gradient on the shape, as large as its ellipses on the whole."""
    a, b, c, d, _, _ = matrix
    start, turn = _moved(matrix, lie.start), atan2(b, a)
    far = (lie.end[0] - lie.start[0]) * sqrt(abs(a * d - b * c))
    return replace(lie, start=start, end=(start[0] + far * cos(turn), start[1] + far * sin(turn)))


def _rounds(low: float, high: float) -> tuple[int, int]:
    first = max(floor(low), -_MOST_ROUNDS // 2)
    first -= first % 2
    return min(first, 0), min(max(ceil(high), 1), _MOST_ROUNDS // 2)


def _moved(matrix: Matrix, point: Point) -> Point:
    a, b, c, d, e, f = matrix
    return a * point[0] + c * point[1] + e, b * point[0] + d * point[1] + f


def read_stops(item: Item, n_frames: int) -> dict[tuple[str, str], FloatArray]:
    """Read what moves in the stops of a group's gradients, by whose they are and by the attribute.

    A place stands twice: as 'offset', and as 'offset before' of the stop before it, which it is never lower than.
    """
    values: dict[tuple[str, str], FloatArray] = {}
    for gradient in (one for one in item["it"] if "g" in one and "nm" in one):
        rows, names = read_moving(gradient["g"]["k"], n_frames), gradient["nm"].split()
        n_stops, before = gradient["g"]["p"], np.zeros(n_frames)
        for at, name in enumerate(names):
            offset = rows[4 * at] * (n_stops // len(names))
            values |= {
                (name, "offset"): offset,
                (name, "offset before"): before,
                (name, "stop-color"): rows[4 * at + 1 : 4 * at + 4],
                (name, "stop-opacity"): rows[4 * n_stops + 2 * at + 1],
            }
            before = offset
    return values

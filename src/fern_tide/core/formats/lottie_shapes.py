"""Shapes of an SVG drawing as Lottie has them: outlines, paints, and transforms in nested groups.

A list of items is drawn from its end to its beginning, the other way round than SVG draws.
"""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Mapping, Sequence
from math import atan2, degrees, hypot
from types import MappingProxyType
from typing import Any

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.formats.lottie_colours import colour_of
from fern_tide.core.formats.lottie_values import shortened
from fern_tide.core.scene.lettering import letter_loops
from fern_tide.core.scene.parts.text import TextParams
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.svg.bounds import shape_box
from fern_tide.core.scene.svg.geometry import Box, Matrix, length, matrix_of
from fern_tide.core.scene.svg.outline import strokes_of

Item = dict[str, Any]
SHAPES = frozenset(("path", "rect", "circle", "ellipse", "line", "polyline", "polygon"))
_CAPS = {"butt": 1, "round": 2, "square": 3}
_JOINS = {"miter": 1, "round": 2, "bevel": 3}


def still(value: float | Sequence[float]) -> Item:
    """Give numbers that do not move."""
    return {"a": 0, "k": [shortened(v) for v in value] if isinstance(value, Sequence) else shortened(value)}


def transform(changes: Mapping[str, Any] = MappingProxyType({})) -> Item:
    """Give a group's transform that does nothing, but for what is given of it."""
    plain = {"ty": "tr", "a": still([0, 0]), "p": still([0, 0]), "s": still([100, 100]), "r": still(0), "o": still(100)}
    return {**plain, "sk": still(0), "sa": still(0), **changes}


def matrix_transform(matrix: Matrix, changes: Mapping[str, Any] = MappingProxyType({})) -> Item:
    """Give a transform that does what a matrix does: a scale, then a skew, then a turn, then a move."""
    a, b, c, d, e, f = matrix
    wide = hypot(a, b)
    if wide == 0:
        return transform({"p": still([e, f]), "s": still([0, 0]), **changes})
    turn = atan2(b, a)
    cos, sin = a / wide, b / wide
    along, tall = cos * c + sin * d, cos * d - sin * c
    skew = -degrees(atan2(along, tall)) if tall else 0.0
    sizes, turned = still([100 * wide, 100 * tall]), still(degrees(turn))
    return transform({"p": still([e, f]), "s": sizes, "r": turned, "sk": still(skew), **changes})


def group(name: str, items: list[Item], at: Item) -> Item:
    """Give a group, its transform last as players want it."""
    return {"ty": "gr", "nm": name, "it": [*items, at]}


def name_of(element: ET.Element) -> str:
    """Name what is no part, so that no part is called so."""
    return f"({element.get('id') or tag_of(element)})"


def bezier(curves: FloatArray, closed: bool, *, digits: int = 4) -> Item:
    """Give a stroke's curves, shape (curves, 4, 2 or 3), as vertices with handles relative to them."""
    points = np.round(curves[:, :, :2], digits)
    vertices = [*points[:, 0].tolist()]
    outs = [*(points[:, 1] - points[:, 0]).round(digits).tolist()]
    ins = [[0.0, 0.0], *(points[:-1, 2] - points[:-1, 3]).round(digits).tolist()]
    last = (points[-1, 2] - points[-1, 3]).round(digits).tolist()
    if closed and np.abs(points[-1, 3] - points[0, 0]).max() < 1e-3:
        ins[0] = last
    else:
        vertices.append(points[-1, 3].tolist())
        outs.append([0.0, 0.0])
        ins.append(last)
    return {"i": ins, "o": outs, "v": vertices, "c": closed}


def polygon(points: FloatArray) -> Item:
    """Give a closed way of straight lines, its points of shape (points, 2)."""
    none = [[0.0, 0.0]] * len(points)
    return {"i": none, "o": none, "v": np.round(points, 4).tolist(), "c": True}


def outlines(element: ET.Element) -> list[Item]:
    """Give the outlines of a shape."""
    tag = tag_of(element)
    if tag == "rect" and (corner := _corner(element)):
        return [_rounded(element, corner)]
    strokes = strokes_of(tag, element.attrib)
    return [{"ty": "sh", "ks": {"a": 0, "k": bezier(curves, closed)}} for curves, closed in strokes]


def letters(part: Part | None) -> list[Item]:
    """Give the outlines of a text part's letters, in the fonts that ship with the application."""
    if part is None or not isinstance(params := part.shape.params, TextParams):
        return []
    loops = letter_loops(params.words, font=str(params.font), size=params.size, spacing=params.spacing)
    return [{"ty": "sh", "ks": {"a": 0, "k": polygon(loop + np.array([params.x, params.y]))}} for loop in loops]


def tag_of(element: ET.Element) -> str:
    """Give an element's name without its namespace."""
    return str(element.tag).rpartition("}")[2]


def px(element: ET.Element, name: str, otherwise: float = 0.0) -> float:
    """Give an attribute in pixels."""
    value = length(element.get(name, ""))
    return otherwise if value is None else value


def _corner(element: ET.Element) -> float:
    """Give how round a rectangle's corners are; one of its two radii stands for both."""
    return max(px(element, "rx"), px(element, "ry"))


def _rounded(element: ET.Element, corner: float) -> Item:
    x, y, wide, tall = (px(element, name) for name in ("x", "y", "width", "height"))
    corner = min(corner, wide / 2, tall / 2)
    return {"ty": "rc", "p": still([x + wide / 2, y + tall / 2]), "s": still([wide, tall]), "r": still(corner)}


# --- paints


def solid(kind: str, rgb: Sequence[float], opacity: float) -> Item:
    """Give a fill ('fl') or stroke ('st') of one colour, in sRGB from 0 to 1."""
    return {"ty": kind, "c": still([*rgb, 1.0]), "o": still(100 * opacity)}


def fill(text: str, opacity: float, *, rule: str, paints: Mapping[str, ET.Element], box: Box | None) -> Item | None:
    """Give the fill that SVG calls so; None for none, and for what cannot be written."""
    item = _paint("fl", "gf", text, opacity, paints, box)
    if item is not None:
        item["r"] = 2 if rule == "evenodd" else 1
    return item


def stroke(
    text: str,
    opacity: float,
    *,
    width: float,
    style: Mapping[str, str],
    paints: Mapping[str, ET.Element],
    box: Box | None,
) -> Item | None:
    """Give the stroke that SVG calls so; None for none, and for what cannot be written."""
    item = _paint("st", "gs", text, opacity, paints, box)
    if item is None:
        return None
    item["w"] = still(width)
    item["lc"] = _CAPS.get(style.get("stroke-linecap", "butt"), 1)
    item["lj"] = _JOINS.get(style.get("stroke-linejoin", "miter"), 1)
    item["ml"] = float(length(style.get("stroke-miterlimit", "4")) or 4.0)
    dashes = [
        value for word in style.get("stroke-dasharray", "none").replace(",", " ").split() if (value := length(word))
    ]
    if dashes:
        whole = dashes if len(dashes) % 2 == 0 else dashes * 2
        item["d"] = [{"n": "dg"[at % 2], "v": still(value)} for at, value in enumerate(whole)]
        item["d"].append({"n": "o", "v": still(length(style.get("stroke-dashoffset", "0")) or 0.0)})
    return item


def _paint(
    plain: str, gradient: str, text: str, opacity: float, paints: Mapping[str, ET.Element], box: Box | None
) -> Item | None:
    if text.startswith("url(#"):
        server = paints.get(text[5:].partition(")")[0])
        return None if server is None or box is None else _gradient(gradient, server, opacity, box)
    known = colour_of(text)
    return None if known is None else solid(plain, known[0], opacity * known[1])


def stops(server: ET.Element) -> list[tuple[float, list[float], float]]:
    """Give a gradient's stops: how far out, in what colour and how strong."""
    out = []
    for stop in server:
        if tag_of(stop) == "stop":
            rgb, much = colour_of(stop.get("stop-color", "#000000")) or ([0.0] * 3, 1.0)
            out.append((_share(stop.get("offset", "0")), rgb, much * _share(stop.get("stop-opacity", "1"))))
    return out


def _share(text: str) -> float:
    number = length(text.removesuffix("%")) or 0.0
    return number / 100 if text.endswith("%") else number


def gradient_numbers(marks: list[tuple[float, list[float], float]]) -> list[float]:
    """Give stops as Lottie lists them: all places and colours, then all places and strengths."""
    colours = [value for at, rgb, _ in marks for value in (at, *rgb)]
    return [*colours, *(value for at, _, strength in marks for value in (at, strength))]


def _gradient(kind: str, server: ET.Element, opacity: float, box: Box) -> Item | None:
    marks, radial = stops(server), tag_of(server) == "radialGradient"
    if not marks:
        return None
    left, top, right, bottom = box
    of_box = server.get("gradientUnits") != "userSpaceOnUse"
    matrix = matrix_of(server.get("gradientTransform", ""))

    def at(x: float, y: float) -> list[float]:
        a, b, c, d, e, f = matrix
        x, y = a * x + c * y + e, b * x + d * y + f
        return [left + x * (right - left), top + y * (bottom - top)] if of_box else [x, y]

    def share(name: str, otherwise: str) -> float:
        return _share(server.get(name, otherwise))

    if radial:
        cx, cy, r = share("cx", "50%"), share("cy", "50%"), share("r", "50%")
        start, end = at(cx, cy), at(cx + r, cy)
    else:
        start, end = at(share("x1", "0%"), share("y1", "0%")), at(share("x2", "100%"), share("y2", "0%"))
    return {
        "ty": kind,
        "t": 2 if radial else 1,
        "s": still(start),
        "e": still(end),
        "o": still(100 * opacity),
        "g": {"p": len(marks), "k": still(gradient_numbers(marks))},
    }


def box_of_shape(element: ET.Element) -> Box | None:
    """Give the box of a shape, which gradients are laid over."""
    return shape_box(tag_of(element), element.attrib)

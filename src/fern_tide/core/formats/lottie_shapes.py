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
from fern_tide.core.formats.lottie_values import shortened
from fern_tide.core.scene.svg.bounds import shape_box
from fern_tide.core.scene.svg.geometry import Box, Matrix, length
from fern_tide.core.scene.svg.outline import strokes_of

Item = dict[str, Any]
SHAPES = frozenset(("path", "rect", "circle", "ellipse", "line", "polyline", "polygon"))


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
    strokes = strokes_of(tag_of(element), element.attrib)
    return [{"ty": "sh", "ks": {"a": 0, "k": bezier(curves, closed)}} for curves, closed in strokes]


def tag_of(element: ET.Element) -> str:
    """Give an element's name without its namespace."""
    return str(element.tag).rpartition("}")[2]


def px(element: ET.Element, name: str, otherwise: float = 0.0) -> float:
    """Give an attribute in pixels."""
    value = length(element.get(name, ""))
    return otherwise if value is None else value


def box_of_shape(element: ET.Element) -> Box | None:
    """Give the box of a shape, which gradients are laid over."""
    return shape_box(tag_of(element), element.attrib)

"""Basic shapes of drawings whose measures move, as Lottie's paths over time, written and read back.

The points of such an outline grow evenly with each of its measures, so that the outline is the sum of what each adds.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cache

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.formats.format import KeyParams
from fern_tide.core.formats.lottie_outlines import moving_ways, n_vertices, read_points
from fern_tide.core.formats.lottie_shapes import Item
from fern_tide.core.scene.drawn_outlines import Stroke
from fern_tide.core.scene.outlines import Outline
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.svg.geometry import Box, length
from fern_tide.core.scene.svg.outline import shape_curves

_USUAL: dict[str, dict[str, float]] = {
    "circle": {"cx": 0.0, "cy": 0.0, "r": 4.0},
    "ellipse": {"cx": 0.0, "cy": 0.0, "rx": 4.0, "ry": 4.0},
    "line": {"x1": 0.0, "y1": 0.0, "x2": 4.0, "y2": 4.0},
    "rect": {"x": 0.0, "y": 0.0, "width": 8.0, "height": 8.0, "rx": 2.0, "ry": 2.0},
}
"""The measures of each shape, with such values that all pieces of its outline are there."""
_CORNERS = 4
_SIDES = {"rx": "width", "ry": "height"}


def has_measure(tag: str, attribute: str) -> bool:
    """Say whether an attribute of an element is a measure of its outline."""
    return attribute in _USUAL.get(tag, {})


def unseen_name(part: Part) -> str:
    """Give the name of the group that has the measures of a part whose outline shapers give another shape."""
    return f"{part.id}--measures"


def measured_ways(
    tag: str, attributes: Mapping[str, str], *, moved: Mapping[str, FloatArray], params: KeyParams
) -> tuple[list[Item], list[Box]]:
    """Give the outline of a shape whose measures move, straight from key to key, and its box at every frame.

    Args:
        tag: of the shape.
        attributes: the shape's.
        moved: the values of measures by attribute, each of shape (frames,).
        params: how they become keys.
    """
    values = np.stack(list(_values(tag, attributes, moved).values()))
    outline = _outline(tag, rounded=bool(values[4:].any()))
    ends = outline.at(values.T)[:, ::3]
    boxes = np.concatenate([ends.min(axis=1), ends.max(axis=1)], axis=1).tolist()
    return moving_ways(outline, values, params), [(left, top, right, low) for left, top, right, low in boxes]


def read_measures(groups: Sequence[Item], tag: str, n_frames: int) -> dict[str, FloatArray]:
    """Read the measures of a shape from the groups named like it, each of shape (frames,); none without an outline."""
    outline = _outline(tag, rounded=n_vertices(groups) > _CORNERS)
    points = read_points(groups, outline, n_frames)
    return {} if points is None else dict(zip(_USUAL[tag], outline.read(points), strict=True))


def limits_of(attribute: str, measures: Mapping[str, FloatArray]) -> FloatArray | None:
    """Give how large a measure counts at most; None of what has no limit. Corners reach to the middle of a side."""
    return measures[_SIDES[attribute]] / 2 if attribute in _SIDES and "width" in measures else None


def _values(tag: str, attributes: Mapping[str, str], moved: Mapping[str, FloatArray]) -> dict[str, FloatArray]:
    """Give all measures as they count, each of shape (frames,)."""
    still = np.ones(max(len(rows) for rows in moved.values()))
    values = {name: moved[name] for name in moved}
    for name in _USUAL[tag]:
        if name not in values and (px := length(attributes.get(name))) is not None:
            values[name] = px * still
    corner = values.get("rx", values.get("ry", 0.0 * still))  # one stands for both
    values = {name: values.get(name, corner if name in _SIDES else 0.0 * still) for name in _USUAL[tag]}
    for name in values:
        if (most := limits_of(name, values)) is not None:
            values[name] = np.minimum(values[name], most)
    return values


@cache
def _outline(tag: str, *, rounded: bool) -> Outline:
    """Give an outline of nothing, and what each measure adds to it."""
    usual = dict(_USUAL[tag])
    if tag == "rect" and not rounded:
        usual |= {"rx": 0.0, "ry": 0.0}

    def points(values: Mapping[str, float]) -> FloatArray:
        curves = shape_curves(tag, {name: str(value) for name, value in values.items()})[..., :2]
        return np.concatenate([curves[:1, 0], curves[:, 1:].reshape(-1, 2)])

    first = points(usual)
    fixed = {"rx", "ry"} if tag == "rect" and not rounded else set()
    shapes = [
        first * 0 if name in fixed else points({**usual, name: value + 1}) - first for name, value in usual.items()
    ]
    stroke = Stroke(len(first) // 3, tag != "line")
    return Outline(0, (stroke,), first * 0, np.stack(shapes))

"""Outlines that shapers move, as Lottie's paths over time, written and read back."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from fern_tide.core.bake.thin import Interpolation
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.formats.format import KeyParams
from fern_tide.core.formats.lottie_shapes import Item, bezier
from fern_tide.core.formats.lottie_values import LINE, read_moving
from fern_tide.core.formats.shaped import ShapedPart
from fern_tide.core.scene.outlines import Outline
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.svg.outline import path_strokes

_DIGITS = 6


def way(value: Item) -> Item:
    """Give a path of one stroke that stands still."""
    return {"ty": "sh", "ks": {"a": 0, "k": value}}


def sounding_ways(part: Part, levels: FloatArray) -> list[Item]:
    """Give the outline of a sound graphic, one a frame.

    Args:
        part: the graphic.
        levels: shape (levels, frames).
    """
    assert part.kind.path is not None
    strokes = [path_strokes(part.kind.path(part.shape.params, column)) for column in levels.T]
    out = []
    for at in range(min(map(len, strokes), default=0)):
        keys = [{"t": frame, "s": [bezier(*each[at])], "h": 1} for frame, each in enumerate(strokes)]
        out.append({"ty": "sh", "ks": {"a": 1, "k": keys}})
    return out


def shaped_ways(shaped: ShapedPart, params: KeyParams) -> dict[int, list[Item]]:
    """Give the strokes of each outline, straight from key to key; cubic keys are written as one a frame.

    Args:
        shaped: whose outlines.
        params: how that becomes keys.
    """
    if shaped.is_still:
        return {
            node: [way(bezier(*stroke, digits=_DIGITS)) for stroke in outline.curves(outline.at(shaped.seen[:, 0]))]
            for node, outline in shaped.outlines.items()
        }
    return {node: moving_ways(outline, shaped.seen, params) for node, outline in shaped.outlines.items()}


def moving_ways(outline: Outline, seen: FloatArray, params: KeyParams) -> list[Item]:
    """Give the strokes of an outline, straight from key to key; cubic keys are written as one a frame.

    Args:
        outline: which.
        seen: how much of each of its shapes is seen, shape (shapes, frames).
        params: how that becomes keys.
    """
    keys = (KeyParams() if params.interpolation is Interpolation.CUBIC else params).keys(seen)
    shapes = [outline.curves(points) for points in outline.at(keys.values.T)]
    between: Item = {"h": 1} if keys.interpolation is Interpolation.STEP else LINE
    return [
        {
            "ty": "sh",
            "ks": {
                "a": 1,
                "k": [
                    {"t": frame, "s": [bezier(*shape[at], digits=_DIGITS)], **between}
                    for frame, shape in zip(keys.frames.tolist(), shapes, strict=True)
                ],
            },
        }
        for at in range(len(outline.strokes))
    ]


def read_points(groups: Sequence[Item], outline: Outline, n_frames: int) -> FloatArray | None:
    """Read an outline's points from the groups named like its element, shape (points, 2, frames); None without."""
    ways = _ways(groups)
    if len(ways) != len(outline.strokes):
        return None
    strokes = zip(ways, outline.strokes, strict=True)
    return np.concatenate([_points(item["ks"], stroke.n_curves, n_frames) for item, stroke in strokes])


def n_vertices(groups: Sequence[Item]) -> int:
    """Count the vertices of the first path of groups that are named like one element; 0 without one."""
    ways = [item["ks"] for item in _ways(groups)]
    return len((ways[0]["k"][0]["s"][0] if ways[0]["a"] else ways[0]["k"])["v"]) if ways else 0


def _ways(groups: Sequence[Item]) -> list[Item]:
    """Give the paths of the first group that has any itself."""
    inside = ([item for item in group["it"] if item["ty"] == "sh"] for group in groups)
    return next((ways for ways in inside if ways), [])


def _points(value: dict[str, Any], n_curves: int, n_frames: int) -> FloatArray:
    """Give the points of a stroke at every frame, shape (points, 2, frames)."""
    shapes = [key["s"][0] for key in value["k"]] if value["a"] else [value["k"]]
    rows = np.stack([_curve_points(shape, n_curves).ravel() for shape in shapes], axis=1)
    if not value["a"]:
        return np.repeat(rows.reshape(-1, 2, 1), n_frames, axis=2)
    keys = [{**key, "s": row} for key, row in zip(value["k"], rows.T.tolist(), strict=True)]
    return read_moving({"a": 1, "k": keys}, n_frames).reshape(-1, 2, n_frames)


def _curve_points(shape: Item, n_curves: int) -> FloatArray:
    """Give a stroke's points from its vertices and handles, shape (3 curves + 1, 2)."""
    ends, into, out = (np.array(shape[name], dtype=np.float64) for name in ("v", "i", "o"))
    following = np.arange(1, n_curves + 1) % len(ends)  # a closed one ends at its first
    points = np.empty((3 * n_curves + 1, 2))
    points[0] = ends[0]
    points[1::3] = ends[:n_curves] + out[:n_curves]
    points[2::3] = ends[following] + into[following]
    points[3::3] = ends[following]
    return points

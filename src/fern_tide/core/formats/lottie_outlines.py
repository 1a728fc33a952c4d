"""Outlines that shapers move, as Lottie's paths over time, written and read back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from fern_tide.core.bake.thin import Interpolation
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.formats.format import HandOff, KeyParams
from fern_tide.core.formats.lottie_shapes import Item, bezier
from fern_tide.core.formats.lottie_values import LINE, read_moving
from fern_tide.core.formats.svg_outlines import rows_of
from fern_tide.core.scene.outlines import Outline, elements_of, outlines_of
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.shaping import read_shapers

_DIGITS = 6


def way(value: Item) -> Item:
    """Give a path of one stroke that stands still."""
    return {"ty": "sh", "ks": {"a": 0, "k": value}}


def shaped_ways(outline: Outline, seen: FloatArray, params: KeyParams) -> list[Item]:
    """Give the strokes of an outline, straight from key to key; cubic keys are written as one a frame.

    Args:
        outline: of one element.
        seen: how much of each shape is seen, shape (shapes, frames).
        params: how that becomes keys.
    """
    if (seen == seen[:, :1]).all():
        return [way(bezier(*stroke, digits=_DIGITS)) for stroke in outline.curves(outline.at(seen[:, 0]))]
    keys = (KeyParams() if params.interpolation is Interpolation.CUBIC else params).keys(seen)
    shapes = [outline.curves(outline.at(column)) for column in keys.values.T]
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


def read_shaped(part: Part, groups: Mapping[str, Sequence[Item]], hand_off: HandOff) -> Mapping[str, FloatArray]:
    """Read the amounts of a part's shapers from the outline that they move most; none where it is not there."""
    outlines = outlines_of(hand_off.scene, hand_off.media, part)
    if not outlines:
        return {}
    outline = max(outlines, key=lambda one: one.strength)
    owner, slot = elements_of(hand_off.scene, part, [outline])[0]
    ways = _ways(groups.get(owner if slot == "own" else f"{owner}--{slot}", ()))
    if len(ways) != len(outline.strokes):
        return {}
    points = [
        _points(item["ks"], stroke.n_curves, hand_off.n_frames)
        for item, stroke in zip(ways, outline.strokes, strict=True)
    ]
    baked = rows_of(part, [item.id for item in part.shaped], hand_off)
    return read_shapers(part.shapers, outline.read(np.concatenate(points)), baked)


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

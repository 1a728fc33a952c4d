"""Lottie: a 2D scene with its motion as shapes, for players in apps and pages (Lottie Animation Format 1.0)."""

from __future__ import annotations

import json
from collections.abc import Mapping

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import Format, HandOff, KeyParams, nine_digits
from fern_tide.core.formats.lottie_drawing import Drawing
from fern_tide.core.formats.lottie_gradients import read_stops
from fern_tide.core.formats.lottie_layers import groups_of
from fern_tide.core.formats.lottie_measures import has_measure, limits_of, read_measures, unseen_name
from fern_tide.core.formats.lottie_outlines import read_points
from fern_tide.core.formats.lottie_shapes import Item
from fern_tide.core.formats.lottie_values import read_moving
from fern_tide.core.formats.shaped import read_amounts
from fern_tide.core.scene.drawing import bindings, level_names
from fern_tide.core.scene.outlines import Outline
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.svg.picture import PLACE_NAMES

_OF_STOPS = frozenset(("offset", "stop-color", "stop-opacity"))
_CARRIED = _OF_STOPS | {
    "opacity", "fill", "stroke", "stroke-width", "fill-opacity", "stroke-opacity", "stroke-dashoffset"
}  # fmt: skip
_FIELDS = {"stroke-width": "w", "fill": "c", "stroke": "c", "stroke-dashoffset": "d"}


class LottieParams(KeyParams):
    """How curves become keys."""


def carries_property(part: Part, name: str) -> bool:
    """Say whether a property of a part shows in the file: its place, its paints, its opacity, its levels."""
    shaped = any(item.id == name for item in part.shaped) and part.shape.id != "image"  # there it is the mask's outline
    if name in PLACE_NAMES or name in level_names(part) or shaped:
        return True
    attribute = _attribute(part, name)
    return attribute in _CARRIED or _has_measure(part, attribute)


def _attribute(part: Part, name: str) -> str:
    return next((binding.attribute for binding in bindings(part) if binding.property == name), "")


def _has_measure(part: Part, attribute: str) -> bool:
    return part.kind.in_file == "element" and has_measure(getattr(part.shape.params, "tag", ""), attribute)


def encode(hand_off: HandOff, params: LottieParams) -> bytes:
    """Write the scene as shape layers with their motion."""
    scene, drawing = hand_off.scene, Drawing(hand_off, params)
    layers = drawing.layers()
    document = {
        "v": "5.7.0",
        "fr": hand_off.rate.per_second,
        "ip": 0,
        "op": hand_off.n_frames,
        "w": scene.width,
        "h": scene.height,
        "nm": hand_off.name,
        "ddd": 0,
        "assets": list(drawing.assets.items.values()),
        "layers": layers,
        "markers": _markers(hand_off),
    }
    return json.dumps(document, separators=(",", ":")).encode()


def _markers(hand_off: HandOff) -> list[Item]:
    """Give the project's markers that lie in its length, in time: frames by name, without a duration (1.0, Markers)."""
    fps = float(hand_off.rate.fps)
    placed = sorted((round(moment.time_s * fps, 6), moment.name) for moment in hand_off.moments.markers)
    return [{"cm": name, "tm": at, "dr": 0} for at, name in placed if at < hand_off.n_frames]


# --- reading back


def read_back(content: bytes, hand_off: HandOff, params: LottieParams) -> Mapping[Target, FloatArray]:
    """Read every curve from the group that is named like its part."""
    groups: dict[str, list[Item]] = {}
    stops: dict[tuple[str, str], FloatArray] = {}
    for item in groups_of(json.loads(content)):
        groups.setdefault(item["nm"], []).append(item)
        stops |= read_stops(item, hand_off.n_frames)

    def points(element: tuple[str, str], outline: Outline) -> FloatArray | None:
        owner, slot = element
        return read_points(groups.get(owner if slot == "own" else f"{owner}--{slot}", ()), outline, hand_off.n_frames)

    curves = read_amounts(hand_off, points)
    for curve in hand_off.curves:
        part = hand_off.scene.part(curve.target.part)
        if any(item.id == curve.target.property for item in part.shaped):
            continue
        values = _read_stop(part, curve, stops)
        if values is None:
            values = _read_measure(part, curve, groups.get(unseen_name(part)) or groups.get(part.id, []))
        if values is None:
            values = _read(part, curve.target.property, groups.get(part.id, []), hand_off.n_frames)
        if values is not None:
            curves[curve.target] = values
    return curves


def _read_stop(part: Part, curve: Curve, stops: Mapping[tuple[str, str], FloatArray]) -> FloatArray | None:
    """Read what moves in a gradient's stop; None of what is no such number.

    A place before that of the stop before it counts as that (SVG 2, 14.2.4.2), so that what it is there is not seen.
    """
    attribute = _attribute(part, curve.target.property)
    values = stops.get((part.id, attribute)) if attribute in _OF_STOPS else None
    if values is None or attribute != "offset":
        return values
    before = stops[part.id, "offset before"]
    unseen = (curve.values <= before) & np.isclose(values, before)
    return np.where(unseen, curve.values, values)


def _read_measure(part: Part, curve: Curve, groups: list[Item]) -> FloatArray | None:
    """Read a measure of a shape's outline; None of what is none. What goes beyond its limit is not seen."""
    attribute = _attribute(part, curve.target.property)
    if not _has_measure(part, attribute):
        return None
    measures = read_measures(groups, getattr(part.shape.params, "tag", ""), curve.n_frames)
    values, limits = measures.get(attribute), limits_of(attribute, measures)
    if values is None or limits is None:
        return values
    unseen = (curve.values >= limits) & np.isclose(values, limits)
    return np.where(unseen, curve.values, values)


def _read(part: Part, name: str, groups: list[Item], n_frames: int) -> FloatArray | None:
    if name in PLACE_NAMES:
        return _read_place(part, name, groups[0]["it"][-1], n_frames) if groups else None
    if name in level_names(part):
        levels: FloatArray = _read_levels(part, groups, n_frames)
        return np.asarray(levels[int(name.removeprefix("level_"))])
    attribute = _attribute(part, name)
    if attribute == "opacity":
        values = [one["it"][-1]["o"] for one in groups if "o" in one["it"][-1]]
        return np.asarray(read_moving(_that_moves(values), n_frames)[0] / 100) if values else None
    rows: FloatArray
    kinds = ("st", "gs") if attribute.startswith("stroke") else ("fl", "gf")
    field = {"stroke-width": "w", "fill": "c", "stroke": "c", "stop-color": "c", "stroke-dashoffset": "d"}.get(
        attribute, "o"
    )
    values = [item[field] for item in _inside(groups) if item["ty"] in kinds and field in item]
    values = [value[-1]["v"] if field == "d" else value for value in values]
    if not values:
        return None
    rows = read_moving(_that_moves(values), n_frames)
    return np.asarray(rows[:3] if field == "c" else rows[0] / (100 if field == "o" else 1))


def _that_moves(values: list[Item]) -> Item:
    return next((value for value in values if value.get("a")), values[0])


def _inside(items: list[Item]) -> list[Item]:
    return [one for item in items for one in ([item, *_inside(item["it"])] if item["ty"] == "gr" else [item])]


def _read_place(part: Part, name: str, at: Item, n_frames: int) -> FloatArray:
    field, row, factor, shift = {
        "x": ("p", 0, 1.0, part.anchor.x),
        "y": ("p", 1, 1.0, part.anchor.y),
        "turn": ("r", 0, 1.0, 0.0),
        "scale_x": ("s", 0, 100.0, 0.0),
        "scale_y": ("s", 1, 100.0, 0.0),
    }[name]
    return np.asarray(read_moving(at[field], n_frames)[row] / factor - shift)


def _read_levels(part: Part, groups: list[Item], n_frames: int) -> FloatArray:
    """Read a sound graphic's levels out of its outlines, shape (levels, frames)."""
    assert part.kind.read_path is not None
    ways = [item["ks"]["k"] for item in _inside(groups[:1]) if item["ty"] == "sh"]

    def text(frame: int) -> str:
        strokes = [way[frame]["s"][0] for way in ways]
        if all(len(stroke["v"]) == 4 and stroke["c"] for stroke in strokes):  # bars
            corners = (stroke["v"] for stroke in strokes)
            return "".join(
                f"M{one[0]:.4f} {one[1]:.4f}V{two[1]:.4f}H{three[0]:.4f}V{four[1]:.4f}Z"
                for one, two, three, four in corners
            )
        return "".join(
            "M" + "L".join(f"{x:.4f} {y:.4f}" for x, y in stroke["v"]) + ("Z" if stroke["c"] else "")
            for stroke in strokes
        )

    return np.stack([part.kind.read_path(part.shape.params, text(frame)) for frame in range(n_frames)], axis=1)


FORMAT = Format(
    id="lottie",
    label="Lottie",
    help="Shapes with their motion, for players in apps and pages.",
    params=LottieParams,
    extension=".lottie.json",
    media_type="application/json",
    loses=nine_digits,
    encode=encode,
    read_back=read_back,
    outlines=True,
    carries_property=carries_property,
    lacks="fonts that are not ours, words along a path, patterns, line markers, filters, soft edges of images' masks",
    rounds_by=1e-5,
    spaces=("2d",),
)

"""Lottie: a 2D scene with its motion as shapes, for players in apps and pages (Lottie Animation Format 1.0)."""

from __future__ import annotations

import json
from collections.abc import Mapping

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import Format, HandOff, KeyParams, nine_digits
from fern_tide.core.formats.lottie_drawing import Drawing
from fern_tide.core.formats.lottie_layers import groups_of
from fern_tide.core.formats.lottie_outlines import read_points
from fern_tide.core.formats.lottie_shapes import Item
from fern_tide.core.formats.lottie_values import read_moving
from fern_tide.core.formats.shaped import read_amounts
from fern_tide.core.scene.drawing import bindings, level_names
from fern_tide.core.scene.outlines import Outline
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.svg.picture import PLACE_NAMES

_CARRIED = frozenset(("opacity", "fill", "stroke", "stroke-width", "fill-opacity", "stroke-opacity", "stop-color"))
_NOT_DRAWN = frozenset(("text", "tspan"))  # elements of drawings


class LottieParams(KeyParams):
    """How curves become keys."""


def carries_property(part: Part, name: str) -> bool:
    """Say whether a property of a part shows in the file: its place, its paints, its opacity, its levels."""
    if getattr(part.shape.params, "tag", "") in _NOT_DRAWN:
        return False
    shaped = any(item.id == name for item in part.shaped) and part.shape.id != "image"  # there it is the mask's outline
    if name in PLACE_NAMES or name in level_names(part) or shaped:
        return True
    return any(binding.property == name and binding.attribute in _CARRIED for binding in bindings(part))


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
    }
    return json.dumps(document, separators=(",", ":")).encode()


# --- reading back


def read_back(content: bytes, hand_off: HandOff, params: LottieParams) -> Mapping[Target, FloatArray]:
    """Read every curve from the group that is named like its part."""
    groups: dict[str, list[Item]] = {}
    gradients: dict[str, FloatArray] = {}
    for item in groups_of(json.loads(content)):
        groups.setdefault(item["nm"], []).append(item)
        gradients |= _read_stops(item, hand_off.n_frames)

    def points(element: tuple[str, str], outline: Outline) -> FloatArray | None:
        owner, slot = element
        return read_points(groups.get(owner if slot == "own" else f"{owner}--{slot}", ()), outline, hand_off.n_frames)

    curves = read_amounts(hand_off, points)
    for curve in hand_off.curves:
        part = hand_off.scene.part(curve.target.part)
        if any(item.id == curve.target.property for item in part.shaped):
            continue
        values = gradients.get(part.id) if curve.target.property in _stops_of(part) else None
        if values is None:
            values = _read(part, curve.target.property, groups.get(part.id, []), hand_off.n_frames)
        if values is not None:
            curves[curve.target] = values
    return curves


def _stops_of(part: Part) -> set[str]:
    """Name the properties that are the colour of a gradient's stop."""
    return {binding.property for binding in bindings(part) if binding.attribute == "stop-color"}


def _read_stops(item: Item, n_frames: int) -> dict[str, FloatArray]:
    """Read the colours of the stops of a group's gradients, by whose they are."""
    colours = {}
    for gradient in (one for one in item["it"] if "g" in one and "nm" in one):
        rows = read_moving(gradient["g"]["k"], n_frames)
        for place, name in enumerate(gradient["nm"].split()):
            colours[name] = np.asarray(rows[4 * place + 1 : 4 * place + 4])
    return colours


def _read(part: Part, name: str, groups: list[Item], n_frames: int) -> FloatArray | None:
    if name in PLACE_NAMES:
        return _read_place(part, name, groups[0]["it"][-1], n_frames) if groups else None
    if name in level_names(part):
        levels: FloatArray = _read_levels(part, groups, n_frames)
        return np.asarray(levels[int(name.removeprefix("level_"))])
    attribute = next(binding.attribute for binding in bindings(part) if binding.property == name)
    if attribute == "opacity":
        values = [one["it"][-1]["o"] for one in groups if "o" in one["it"][-1]]
        return np.asarray(read_moving(_that_moves(values), n_frames)[0] / 100) if values else None
    rows: FloatArray
    kind = "st" if attribute.startswith("stroke") else "fl"
    field = {"stroke-width": "w", "fill": "c", "stroke": "c", "stop-color": "c"}.get(attribute, "o")
    values = [item[field] for item in _inside(groups) if item["ty"] == kind]
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
    lacks="text of drawings, blur, filters, and soft edges of images' masks",
    rounds_by=1e-5,
    spaces=("2d",),
)

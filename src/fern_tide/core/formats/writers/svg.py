"""Animated SVG: the scene with its motion inside, as SMIL, playing by itself in a browser.

Each animation has one value a frame and the last one twice, evenly spaced over the project's length, so that at
frame k's own time, k / rate, the value is exactly that of frame k. Even values need no keyTimes.
"""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections import defaultdict
from collections.abc import Mapping

import numpy as np
from defusedxml import ElementTree as SafeET

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import Format, HandOff
from fern_tide.core.mapping.colour import colour_texts, parse_colour
from fern_tide.core.scene.drawing import SVG, TRANSFORMS, bindings, draw, number, transform_values
from fern_tide.core.scene.scene import Part


class SvgParams(Params):
    """Animated SVG has nothing to set."""


def encode(hand_off: HandOff, params: SvgParams) -> bytes:
    """Draw the scene at its first frame and put an animation into every element that moves."""
    curves = {curve.target: curve for curve in hand_off.curves}
    by_part: dict[str, dict[str, Curve]] = defaultdict(dict)
    for target, curve in curves.items():
        by_part[target.part][target.property] = curve
    duration = f"{hand_off.rate.duration_s(hand_off.n_frames):.9f}s"

    def dress(part_id: str, slot: str, element: ET.Element) -> None:
        part, driven = hand_off.scene.part(part_id), by_part.get(part_id, {})
        if slot in TRANSFORMS:
            _add_transform(element, part, slot, driven, hand_off.n_frames, duration)
        for binding in bindings(part):
            if binding.slot == slot and binding.property in driven:
                texts = _texts(driven[binding.property])
                _add(element, "animate", {"attributeName": binding.attribute}, texts, duration)

    first = {target: curve.at(0) for target, curve in curves.items() if curve.n_frames}
    root = draw(hand_off.scene, values=first, dress=dress)
    title = ET.Element("title")
    title.text = hand_off.name
    root.insert(0, title)
    content: bytes = ET.tostring(root, encoding="utf-8", xml_declaration=True)
    return content


def _texts(curve: Curve) -> list[str]:
    if curve.kind == "colour":
        return colour_texts(curve.values)
    return [number(value) for value in curve.values.tolist()]


def _add_transform(
    element: ET.Element, part: Part, slot: str, driven: Mapping[str, Curve], n_frames: int, duration: str
) -> None:
    verb, *names = TRANSFORMS[slot]
    if not any(name in driven for name in names):
        return
    rows = [driven[name].values.tolist() if name in driven else [float(part.own(name))] * n_frames for name in names]
    texts = [transform_values(part, slot, at) for at in zip(*rows, strict=True)]
    _add(element, "animateTransform", {"attributeName": "transform", "type": verb}, texts, duration)


def _add(element: ET.Element, tag: str, attributes: dict[str, str], texts: list[str], duration: str) -> None:
    if texts:
        timing = {"dur": duration, "repeatCount": "indefinite", "calcMode": "linear"}
        ET.SubElement(element, tag, attributes | timing | {"values": ";".join([*texts, texts[-1]])})


def read_back(content: bytes, hand_off: HandOff) -> Mapping[Target, FloatArray]:
    """Read the animations of every driven property, as a browser would find them."""
    root = SafeET.fromstring(content)
    by_id = {element.get("id"): element for element in root.iter() if element.get("id")}
    found = {}
    for curve in hand_off.curves:
        part = hand_off.scene.part(curve.target.part)
        for slot, (_, *names) in TRANSFORMS.items():
            if curve.target.property in names:
                column = names.index(curve.target.property)
                shift = (part.anchor.x, part.anchor.y)[column] if slot == "move" else 0.0
                texts = _values(by_id.get(f"{part.id}--{slot}"), "animateTransform", "transform")
                found[curve.target] = np.array([float(text.split()[column]) - shift for text in texts])
        for binding in bindings(part):
            if binding.property == curve.target.property:
                texts = _values(by_id.get(f"{part.id}--{binding.slot}"), "animate", binding.attribute)
                if curve.kind == "colour":
                    found[curve.target] = np.array([parse_colour(text) for text in texts]).reshape(-1, 3).T
                else:
                    found[curve.target] = np.array([float(text) for text in texts])
    return found


def _values(element: ET.Element | None, tag: str, attribute: str) -> list[str]:
    if element is None:
        return []
    for animation in element.findall(f"{{{SVG}}}{tag}"):
        if animation.get("attributeName") == attribute:
            return (animation.get("values") or "").split(";")[:-1]
    return []


def loses(curve: Curve) -> str | None:
    """Say that colours are rounded."""
    return "colours to 256 steps a channel" if curve.kind == "colour" else None


FORMAT = Format(
    id="svg",
    label="Animated SVG",
    help="The scene with its motion inside, plays in any browser.",
    params=SvgParams,
    extension=".svg",
    media_type="image/svg+xml",
    loses=loses,
    encode=encode,
    read_back=read_back,
)

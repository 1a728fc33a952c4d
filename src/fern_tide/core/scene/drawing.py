"""A scene as SVG: the one structure that the stage shows and the animated SVG carries.

Every part is four nested groups, one per kind of transform, so that each can be animated by itself:

    <g id="lamp--move" translate(x + anchor)> <g id="lamp--turn" rotate(turn)> <g id="lamp--scale" scale(w h)>
      <g translate(-anchor)> the part's own element, then its children
"""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Callable, Mapping

from fern_tide.core.base.target import Target
from fern_tide.core.scene.part import Binding, Element
from fern_tide.core.scene.scene import Part, Scene

SVG = "http://www.w3.org/2000/svg"
TRANSFORMS = {"move": ("translate", "x", "y"), "turn": ("rotate", "turn"), "scale": ("scale", "scale_x", "scale_y")}
_COMMON = (Binding("opacity", "move", "opacity"), Binding("blur", "haze", "stdDeviation"))

Values = Mapping[Target, float | str]
Dress = Callable[[str, str, ET.Element], None]
"""Called with (part id, slot, element) for every element that a binding or transform can reach."""


def number(value: float) -> str:
    """Write a number with seven significant digits and no exponent, as SVG's oldest readers expect."""
    text = f"{value:.7g}"
    if "e" in text:
        text = f"{value:.7f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text in {"-0", ""} else text


def bindings(part: Part) -> tuple[Binding, ...]:
    """List where a part's properties other than its place are shown."""
    return _COMMON + part.kind.bindings


def transform_values(part: Part, slot: str, values: tuple[float, ...]) -> str:
    """Write a transform's numbers as SVG counts them: a move includes the anchor."""
    if slot == "move":
        values = (values[0] + part.anchor.x, values[1] + part.anchor.y)
    return " ".join(number(value) for value in values)


def draw(scene: Scene, *, values: Values | None = None, prefix: str = "", dress: Dress | None = None) -> ET.Element:
    """Draw a scene.

    Args:
        scene: what to draw.
        values: values that differ from the parts' own.
        prefix: put before every id, so that two drawings can share a page.
        dress: may add to the elements, such as animations.

    Returns:
        The svg element. It needs nothing from outside, and has no scripts and no styles.
    """
    root = ET.Element(
        "svg", {"xmlns": SVG, "viewBox": f"0 0 {scene.width} {scene.height}", "preserveAspectRatio": "xMidYMid meet"}
    )
    ET.SubElement(root, "rect", {"width": str(scene.width), "height": str(scene.height), "fill": scene.background})
    inner: dict[str | None, ET.Element] = {None: root}
    pen = _Pen(values or {}, prefix, dress or (lambda part_id, slot, element: None))
    for part in scene.parts:
        inner[part.id] = pen.part(inner[part.parent], part)
    return root


def markup(root: ET.Element) -> str:
    """Write an element as text."""
    return ET.tostring(root, encoding="unicode")


class _Pen:
    def __init__(self, values: Values, prefix: str, dress: Dress) -> None:
        self._values, self._prefix, self._dress = values, prefix, dress

    def part(self, parent: ET.Element, part: Part) -> ET.Element:
        """Draw one part and give the element that its children go into."""
        reached: dict[str, ET.Element] = {}
        outer = parent
        for slot, (verb, *names) in TRANSFORMS.items():
            at = tuple(float(self._value(part, name)) for name in names)
            transform = f"{verb}({transform_values(part, slot, at)})"
            outer = ET.SubElement(outer, "g", {"id": self._id(part, slot), "transform": transform})
            reached[slot] = outer
        back = ET.SubElement(outer, "g", {"transform": f"translate({number(-part.anchor.x)} {number(-part.anchor.y)})"})
        self._haze(part, reached)
        own = part.kind.draw(part.shape.params, f"{self._prefix}{part.id}")
        self._element(back, part, own, reached)
        for binding in bindings(part):
            reached[binding.slot].set(binding.attribute, self._text(part, binding.property))
        for slot, element in reached.items():
            self._dress(part.id, slot, element)
        return back

    def _element(self, parent: ET.Element, part: Part, element: Element, reached: dict[str, ET.Element]) -> None:
        made = ET.SubElement(parent, element.tag, dict(element.attributes))
        made.text = element.text or None
        if element.slot:
            made.set("id", self._id(part, element.slot))
            reached[element.slot] = made
        for child in element.children:
            self._element(made, part, child, reached)

    def _haze(self, part: Part, reached: dict[str, ET.Element]) -> None:
        """A blur filter; it takes effect only where the part is blurred or something may blur it."""
        haze = ET.SubElement(
            reached["move"],
            "filter",
            {"id": self._id(part, "filter"), "x": "-60%", "y": "-60%", "width": "220%", "height": "220%"},
        )
        reached["haze"] = ET.SubElement(haze, "feGaussianBlur", {"id": self._id(part, "haze")})
        if float(self._value(part, "blur")) > 0 or Target(part=part.id, property="blur") in self._values:
            reached["move"].set("filter", f"url(#{self._id(part, 'filter')})")

    def _id(self, part: Part, slot: str) -> str:
        return f"{self._prefix}{part.id}--{slot}"

    def _value(self, part: Part, name: str) -> float | str:
        return self._values.get(Target(part=part.id, property=name), part.own(name))

    def _text(self, part: Part, name: str) -> str:
        value = self._value(part, name)
        return value if isinstance(value, str) else number(value)

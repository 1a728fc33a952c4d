"""The elements of an SVG file as parts: what of each can be animated, and the values that it came with."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cached_property
from typing import Any, TypeGuard

from fern_tide.core.base.naming import Ids
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.parts.svg_element import ATTRIBUTES, MOST_BASE, PLACED, SvgElementParams
from fern_tide.core.scene.scene import Part, PartChoice, SceneFile
from fern_tide.core.scene.svg.bounds import LONGEST_DATA, joined, moved, pieces, shape_box
from fern_tide.core.scene.svg.colours import colour, with_own_opacity
from fern_tide.core.scene.svg.drawing import Drawing, Node, named
from fern_tide.core.scene.svg.geometry import MOST_PX, Box, length, matrix_of, share, viewed
from fern_tide.core.scene.svg.outline import OUTLINED, strokes_of
from fern_tide.core.scene.svg.style import computed, styled

_PAINTED = ("path", "rect", "circle", "ellipse", "line", "polyline", "polygon", "text", "tspan")
_GEOMETRY: dict[str, tuple[str, ...]] = {
    "rect": ("left", "top", "box_width", "box_height", "radius_x", "radius_y"),
    "circle": ("centre_x", "centre_y", "radius"),
    "ellipse": ("centre_x", "centre_y", "radius_x", "radius_y"),
    "line": ("x1", "y1", "x2", "y2"),
    "text": ("text_size", "spacing"),
    "tspan": ("text_size", "spacing"),
    "image": ("left", "top", "box_width", "box_height"),
}
_WORDS = {
    "g": "Group",
    "a": "Group",
    "switch": "Group",
    "rect": "Rectangle",
    "path": "Path",
    "circle": "Circle",
    "ellipse": "Ellipse",
    "line": "Line",
    "polyline": "Polyline",
    "polygon": "Polygon",
    "text": "Text",
    "tspan": "Text run",
    "image": "Image",
    "use": "Copy",
    "stop": "Gradient stop",
    "feGaussianBlur": "Blur",
}
UNSEEN = ("defs", "clipPath", "mask", "pattern", "symbol", "marker", "filter", "linearGradient", "radialGradient")
_TRANSFORM = re.compile(r"^[A-Za-z0-9_\s(),.+\-]*$")


def _can_be_drawn(px: float | None) -> TypeGuard[float]:
    return px is not None and px >= 0.001


_USUAL = "xMidYMid"
_SIDES = {"rect": 4, "circle": 16, "ellipse": 16, "line": 1}


@dataclass(frozen=True)
class Sheet:
    """A drawing with its styles resolved."""

    drawing: Drawing

    @cached_property
    def attributes(self) -> tuple[dict[str, str], ...]:
        """Each element's attributes, styles written into them."""
        return with_own_opacity(styled(self.drawing), self.drawing.nodes)

    @cached_property
    def inherited(self) -> tuple[dict[str, str], ...]:
        """What each element has or inherits."""
        return computed(self.attributes, self.drawing.nodes)

    @cached_property
    def middles(self) -> list[tuple[float, float]]:
        """The middle of each element, in what it lies in."""
        return _middles(self)

    @cached_property
    def n_curves(self) -> list[int]:
        """How many curves the outlines of each element have, and of all that is seen in it."""
        nodes = self.drawing.nodes
        counts = [0] * len(nodes)
        for node in reversed(nodes):
            if node.tag in UNSEEN:
                continue
            own = _n_curves(node, self.attributes[node.index])
            counts[node.index] = own + sum(counts[child] for child in node.children)
        return counts

    def strokes(self, index: int) -> list[tuple[FloatArray, bool]]:
        """Give the strokes of an element's outline (see strokes_of), read once."""
        if index not in self._read:
            self._read[index] = strokes_of(self.drawing.nodes[index].tag, self.attributes[index])
        return self._read[index]

    @cached_property
    def outlines(self) -> dict[int, Any]:
        """What was worked out of the outlines in its elements, by their places; see drawn_outlines.py."""
        return {}

    @cached_property
    def _read(self) -> dict[int, list[tuple[FloatArray, bool]]]:
        return {}

    @cached_property
    def box(self) -> tuple[float, float, float, float]:
        """The drawing's view box: left, top, width, height."""
        root = self.attributes[0]
        numbers = [length(word) for word in root.get("viewBox", "").replace(",", " ").split()[:5]]
        left, top, width, height = numbers if len(numbers) == 4 else (0.0, 0.0, None, None)
        if left is not None and top is not None and _can_be_drawn(width) and _can_be_drawn(height):
            return left, top, width, height
        return 0.0, 0.0, self._length_of("width", 300.0), self._length_of("height", 150.0)

    @cached_property
    def size(self) -> tuple[float, float]:
        """How wide and tall it is, in px: as it says, or as its view box is."""
        _, _, width, height = self.box
        return self._length_of("width", width), self._length_of("height", height)

    def _length_of(self, name: str, otherwise: float) -> float:
        px = length(self.attributes[0].get(name))
        return px if _can_be_drawn(px) else otherwise


def parts_of(sheet: Sheet, file: SceneFile, *, ids: Ids, limit_to: tuple[int, int] | None = None) -> tuple[Part, ...]:
    """Make a part of the file and one of each element that can be animated, in drawing order.

    Args:
        sheet: the drawing.
        file: which the parts will know.
        ids: makes their ids.
        limit_to: the size to fit the drawing into, or None to leave it as large as it is.
    """
    width, height = sheet.size
    root_id = ids.make(file.name.rsplit(".", 1)[0])
    fit = min(limit_to[0] / width, limit_to[1] / height) if limit_to else 1.0
    usual = sheet.attributes[0].get("preserveAspectRatio", _USUAL).strip() == _USUAL
    fitting = {"width": width * fit, "height": height * fit, "view": sheet.box if usual else ()}
    fitting |= {"curves": sheet.n_curves[0]}
    name = (sheet.drawing.nodes[0].label or file.name.rsplit(".", 1)[0]).strip()[:120] or "Drawing"
    root = Part(
        id=root_id,
        name=name,
        anchor=Anchor(x=width * fit / 2, y=height * fit / 2),
        shape=PartChoice.model_validate({"id": "svg_file", "params": {"file": file.id, **fitting}}),
    )
    parts = [root]
    owner: dict[int, str] = {0: root_id}
    numbers: dict[str, int] = {}
    for node in sheet.drawing.nodes[1:]:
        part = _part(sheet, node, file, owner[node.parent], ids, numbers)
        owner[node.index] = owner[node.parent] if part is None else part.id
        if part is not None:
            parts.append(part)
    return tuple(parts)


def _part(sheet: Sheet, node: Node, file: SceneFile, parent: str, ids: Ids, numbers: dict[str, int]) -> Part | None:
    middle = sheet.middles[node.index]
    values = _values(sheet, node)
    if node.tag not in PLACED and not values:
        return None
    word = _WORDS.get(node.tag, node.tag)
    numbers[word] = numbers.get(word, 0) + 1
    words = " ".join(node.text.split())[:40] if node.tag in {"text", "tspan"} else ""
    name = named(node) or words or f"{word} {numbers[word]}"
    base = sheet.attributes[node.index].get("transform", "").strip() if node.tag in PLACED else ""
    params = SvgElementParams(
        file=file.id,
        index=node.index,
        tag=node.tag,
        base=base if len(base) <= MOST_BASE and _TRANSFORM.match(base) else "",
        names=" ".join(values),
        curves=sheet.n_curves[node.index],
    )
    own = {key: value for key, value in values.items() if value != ATTRIBUTES[key][0].default}
    return Part(
        id=ids.make(name),
        name=name,
        parent=parent,
        anchor=Anchor(x=middle[0], y=middle[1]),
        values=own,
        shape=PartChoice(id="svg_element", params=params),
    )


def values_of(sheet: Sheet, part: Part) -> dict[str, float | str]:
    """Read the values that an element's part has in its file."""
    return _values(sheet, sheet.drawing.nodes[part.file_index])


def _values(sheet: Sheet, node: Node) -> dict[str, float | str]:
    """Read what can be animated of an element, with the value that each has."""
    own, passed = sheet.attributes[node.index], sheet.inherited[node.index]
    values: dict[str, float | str] = {}

    def number(key: str, source: dict[str, str], default: float | None) -> None:
        attribute = ATTRIBUTES[key][1]
        value = length(source[attribute]) if attribute in source else default
        if value is not None:
            values[key] = value

    if node.tag in PLACED:
        number("opacity", own, 1.0)
    if node.tag in _PAINTED:
        fill, stroke = colour(passed.get("fill", "#000000")), colour(passed.get("stroke"))
        if fill is not None and node.tag != "line":
            values["fill"] = fill
            number("fill_opacity", passed, 1.0)
        if stroke is not None:
            values["stroke"] = stroke
            number("stroke_width", passed, 1.0)
            number("stroke_opacity", passed, 1.0)
            if own.get("stroke-dasharray", "none") != "none":
                number("dash_offset", passed, 0.0)
    for key in _GEOMETRY.get(node.tag, ()):
        inherits = key in {"text_size", "spacing"}
        number(key, passed if inherits else own, {"text_size": 16.0, "spacing": 0.0}.get(key, _start(key, own)))
    if node.tag == "stop":
        values["stop_colour"] = colour(own.get("stop-color", "#000000")) or "#000000"
        number("stop_opacity", own, 1.0)
        values["stop_offset"] = min(1.0, max(0.0, share(own.get("offset", "0"))))
    if node.tag == "feGaussianBlur":
        values["blur"] = max(0.0, _first(own.get("stdDeviation")))
    return values


def _start(key: str, own: dict[str, str]) -> float | None:
    """What SVG takes where an attribute is missing: 0, but for a radius that follows the other one."""
    if key in {"radius_x", "radius_y"}:
        other = ATTRIBUTES["radius_y" if key == "radius_x" else "radius_x"][1]
        return length(own.get(other)) or 0.0
    return 0.0


def _n_curves(node: Node, own: dict[str, str]) -> int:
    """Count the curves of an element's outline, near enough to say whether it has one and whether it has too many."""
    if node.tag == "path":
        data = own.get("d", "")
        return sum(verb not in "Mm" for verb, _ in pieces(data)) if len(data) <= LONGEST_DATA else 0
    return _SIDES.get(node.tag, own.get("points", "").count(" ") + 1 if node.tag in OUTLINED else 0)


def _middles(sheet: Sheet) -> list[tuple[float, float]]:
    """Find the middle of each element, in what it lies in: of a group, of all in it; of text, where it starts."""
    nodes = sheet.drawing.nodes
    boxes: list[Box | None] = [None] * len(nodes)
    for node in reversed(nodes):
        own = sheet.attributes[node.index]
        seen = [boxes[child] for child in node.children if nodes[child].tag not in UNSEEN]
        box = joined([_own_box(node, own), *seen])
        if box is not None and own.get("transform"):
            box = moved(box, matrix_of(own["transform"]))
        if box is not None and node.tag == "svg" and node.parent >= 0:
            box = moved(box, viewed(own))
        if box is not None and all(abs(number) <= MOST_PX for number in box):
            boxes[node.index] = box
    left, top, width, height = sheet.box
    whole = (left + width / 2, top + height / 2)
    return [((box[0] + box[2]) / 2, (box[1] + box[3]) / 2) if box else whole for box in boxes]


def _own_box(node: Node, own: dict[str, str]) -> Box | None:
    """Give an element's own box, as far as it can be read off without drawing: of text, where it starts."""
    if node.tag in {"text", "tspan"}:
        x, y = _first(own.get("x")), _first(own.get("y"))
        return x, y, x, y
    return shape_box(node.tag, own)


def _first(text: str | None) -> float:
    words = (text or "").replace(",", " ").split()
    return (length(words[0]) or 0.0) if words else 0.0

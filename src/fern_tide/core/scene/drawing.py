"""A scene as SVG: the one structure that the stage shows and the animated SVG carries.

Every part is four nested groups, one per kind of transform, so that each can be animated by itself:

    <g id="lamp--move" translate(x + anchor)> <g id="lamp--turn" rotate(turn)> <g id="lamp--scale" scale(w h)>
      <g translate(-anchor)> the part's own element, then its children
"""

from __future__ import annotations

import base64
import xml.etree.ElementTree as ET
from collections.abc import Callable, Mapping
from functools import partial

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.scene.arrays.drawn import draw_pieces
from fern_tide.core.scene.graphic import is_level
from fern_tide.core.scene.images import check_image
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.outlines import OUTLINE, Outline, outlines_of, seen_at
from fern_tide.core.scene.part import Binding, Element
from fern_tide.core.scene.parts.svg_element import ATTRIBUTES
from fern_tide.core.scene.scene import Part, Scene, SceneFile
from fern_tide.core.scene.svg.geometry import number
from fern_tide.core.scene.svg.picture import draw_file, reshape

SVG = "http://www.w3.org/2000/svg"
TRANSFORMS = {"move": ("translate", "x", "y"), "turn": ("rotate", "turn"), "scale": ("scale", "scale_x", "scale_y")}
_COMMON = (Binding("opacity", "move", "opacity"), Binding("blur", "haze", "stdDeviation"))

Values = Mapping[Target, float | str]
Dress = Callable[[str, str, ET.Element], None]
"""Called with (part id, slot, element) for every element that a binding or transform can reach."""


def bindings(part: Part) -> tuple[Binding, ...]:
    """List where a part's properties other than its place are shown."""
    if part.kind.in_file == "gathering" or not part.kind.looks:
        return ()
    if part.kind.in_file == "element":
        return tuple(
            Binding(item.id, "own", ATTRIBUTES[item.id][1]) for item in part.properties if item.id in ATTRIBUTES
        )
    return _COMMON + part.kind.bindings


def level_names(part: Part) -> list[str]:
    """List a sound graphic's levels; none of other parts."""
    return [item.id for item in part.properties if is_level(item.id)]


def transform_values(part: Part, slot: str, values: tuple[float, ...]) -> str:
    """Write a transform's numbers as SVG counts them: a move includes the anchor."""
    if slot == "move":
        values = (values[0] + part.anchor.x, values[1] + part.anchor.y)
    return " ".join(number(value) for value in values)


def draw(
    scene: Scene,
    *,
    media: SceneMedia | None = None,
    values: Values | None = None,
    prefix: str = "",
    dress: Dress | None = None,
    picture: Callable[[SceneFile], str] | None = None,
) -> ET.Element:
    """Draw a 2D scene.

    Args:
        scene: what to draw.
        media: what its parts were brought in with; what is not there is left out.
        values: values that differ from the parts' own.
        prefix: put before every id, so that two drawings can share a page.
        dress: may add to the elements, such as animations.
        picture: gives the address of an image; None writes the image itself into the drawing.

    Returns:
        The svg element. It needs nothing from outside, and has no scripts and no styles.
    """
    root = ET.Element(
        "svg", {"xmlns": SVG, "viewBox": f"0 0 {scene.width} {scene.height}", "preserveAspectRatio": "xMidYMid meet"}
    )
    ET.SubElement(root, "rect", {"width": str(scene.width), "height": str(scene.height), "fill": scene.background})
    inner: dict[str | None, ET.Element] = {None: root}
    pen = _Pen(
        scene, media or SceneMedia(), values or {}, prefix, dress or (lambda part_id, slot, element: None), picture
    )
    for part in scene.parts:
        if part.kind.draw is not None:
            inner[part.id] = pen.part(inner[part.parent], part)
    return root


def markup(root: ET.Element) -> str:
    """Write an element as text."""
    return ET.tostring(root, encoding="unicode")


class _Pen:
    def __init__(
        self,
        scene: Scene,
        media: SceneMedia,
        values: Values,
        prefix: str,
        dress: Dress,
        picture: Callable[[SceneFile], str] | None,
    ) -> None:
        self._scene, self._media = scene, media
        self._values, self._prefix, self._dress = values, prefix, dress
        self._picture = picture or self._inside
        self._shares: dict[str, FloatArray] = {}

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
        assert part.kind.draw is not None, "a part of a 2D scene can be drawn"
        own = part.kind.draw(part.shape.params, f"{self._prefix}{part.id}")
        self._element(back, part, own, reached)
        if part.kind.in_file == "file":
            self._file(reached["own"], part)
        for binding in bindings(part):
            text = "inherit" if self._is_coloured(part, binding) else self._text(part, binding.property)
            reached[binding.slot].set(binding.attribute, text)
        if part.kind.path is not None:
            levels = np.array([float(self._value(part, name)) for name in level_names(part)])
            reached["own"].set("d", part.kind.path(part.shape.params, levels))
        for slot, element in reached.items():
            self._dress(part.id, slot, element)
        if part.kind.in_file != "file":
            for outline in outlines_of(self._scene, self._media, part):
                self._outline(part, outline, self._seen(part), reached["own"])
        return self._pieces(back, part) if part.kind.pieces else back

    def _pieces(self, parent: ET.Element, part: Part) -> ET.Element:
        """Draw the pieces of an array; what they are made from is drawn where it is seen only in them."""
        hidden = ET.SubElement(parent, "defs")
        draw_pieces(
            ET.SubElement(parent, "g", {"id": self._id(part, "pieces")}), self._scene, part, prefix=self._prefix
        )
        return hidden

    def _is_coloured(self, part: Part, binding: Binding) -> bool:
        """Say whether what is made of a part is painted by the array that it lies in."""
        above = None if part.parent is None else self._scene.part(part.parent)
        return (
            binding.property == "fill"
            and above is not None
            and above.kind.pieces
            and bool(getattr(above.shape.params, "coloured", False))
        )

    def _element(self, parent: ET.Element, part: Part, element: Element, reached: dict[str, ET.Element]) -> None:
        node = ET.SubElement(parent, element.tag, dict(element.attributes))
        if (href := element.attributes.get("href", "")).startswith("media:"):
            node.set("href", self._picture(self._scene.file(href.removeprefix("media:"))))
        node.text = element.text or None
        if element.slot:
            node.set("id", self._id(part, element.slot))
            reached[element.slot] = node
        for child in element.children:
            self._element(node, part, child, reached)

    def _inside(self, file: SceneFile) -> str:
        content = self._media.images.get(file.media)
        if content is None:
            return ""
        return f"data:{check_image(content).media_type};base64,{base64.b64encode(content).decode()}"

    def _file(self, parent: ET.Element, part: Part) -> None:
        """Draw what a part was brought in with."""
        file = self._scene.file(part.file)
        if (sheet := self._media.sheets.get(file.media)) is not None:
            inside = [item for item in self._scene.branch(part.id) if item.kind.in_file == "element"]
            shaped = [item for item in (part, *inside) if item.shapers]
            draw_file(
                parent,
                sheet,
                root=part,
                inside=[(item, self._scene.gatherings(item)) for item in inside],
                plays=file.plays,
                prefix=self._prefix,
                values=self._values,
                dress=self._dress,
                outlined={
                    outline.node: partial(self._outline, item, outline, self._seen(item))
                    for item in shaped
                    for outline in outlines_of(self._scene, self._media, item)
                },
            )

    def _seen(self, part: Part) -> FloatArray:
        """Give how much of each shape of a part's shapers is seen, worked out once for all of its outlines."""
        if part.id not in self._shares:
            self._shares[part.id] = seen_at(part, lambda name: self._value(part, name))
        return self._shares[part.id]

    def _outline(self, part: Part, outline: Outline, seen: FloatArray, element: ET.Element) -> None:
        """Draw an outline as its part's shapers leave it."""
        reshape(element, outline.data(outline.at(seen)))
        self._dress(part.id, f"{OUTLINE}{outline.node}", element)

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

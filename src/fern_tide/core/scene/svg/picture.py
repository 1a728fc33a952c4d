"""An SVG file drawn inside a scene: styles written out as attributes, ids made its own, every part reachable."""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence

from fern_tide.core.base.target import Target
from fern_tide.core.scene.parts.svg_element import ATTRIBUTES, PLACED, SvgElementParams
from fern_tide.core.scene.parts.svg_file import SvgFileParams
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.svg.allowed import ANIMATIONS
from fern_tide.core.scene.svg.geometry import number, place
from fern_tide.core.scene.svg.parts import Sheet

PLACE_NAMES = ("x", "y", "turn", "scale_x", "scale_y")
_REFERENCE = re.compile(r"url\(\s*+(['\"]?)\s*+#([^()'\"]*+)\1\s*+\)", re.IGNORECASE)
_LEFT_OUT = frozenset(("style", "title", "desc", "metadata", "view"))


def draw_file(
    parent: ET.Element,
    sheet: Sheet,
    *,
    root: Part,
    inside: Sequence[tuple[Part, Sequence[Part]]],
    plays: bool,
    prefix: str,
    values: Mapping[Target, float | str],
    dress: Callable[[str, str, ET.Element], None],
    outlined: Mapping[int, Callable[[ET.Element], None]],
) -> None:
    """Draw a file's elements into one.

    Args:
        parent: what they go into.
        sheet: the file, its styles resolved.
        root: the part of the file, which says how large it is drawn.
        inside: the parts of its elements, each with what it was put together in, the outermost first.
        plays: whether animations that it came with are drawn too, but for those of what has a value in `values`.
        prefix: put before every id.
        values: values that differ from the parts' own.
        dress: called with each part's element, under the slot 'own'.
        outlined: by their places in the file, what gives elements the outlines that they have by shapers.
    """
    parts, above = {part.file_index: part for part, _ in inside}, {part.id: outer for part, outer in inside}
    driven: dict[str, set[str]] = {}
    for target in values:
        driven.setdefault(target.part, set()).add(target.property)
    silent = silenced_nodes(sheet, plays=plays, driven=driven_names(inside, driven), outlined=outlined)
    params = root.shape.params
    assert isinstance(params, SvgFileParams), root.shape.id
    left, top, width, height = sheet.box
    drawn: dict[int, ET.Element] = {
        0: ET.SubElement(
            parent,
            "svg",
            {
                "width": number(params.width),
                "height": number(params.height),
                "viewBox": f"{number(left)} {number(top)} {number(width)} {number(height)}",
                "overflow": "hidden",
            }
            | {name: text for name, text in sheet.attributes[0].items() if name in _PASSED},
        )
    }
    names = {
        node.attributes["id"]: _id(node.index, parts, root, prefix)
        for node in sheet.drawing.nodes
        if "id" in node.attributes
    }
    for node in sheet.drawing.nodes[1:]:
        outer = drawn.get(node.parent)
        if outer is None or node.tag in _LEFT_OUT or node.index in silent:
            continue
        attributes = {
            name: _renamed(text, names) for name, text in sheet.attributes[node.index].items() if name != "id"
        }
        part = parts.get(node.index)
        if part is not None or "id" in node.attributes or node.index in outlined:
            attributes["id"] = _id(node.index, parts, root, prefix)
        if part is not None:
            _set_values(attributes, part, values, above[part.id])
        element = ET.SubElement(outer, node.tag, attributes)
        element.text, element.tail = node.text or None, node.tail or None
        drawn[node.index] = element
        if part is not None:
            dress(part.id, "own", element)
        if node.index in outlined:
            outlined[node.index](element)


GEOMETRY = frozenset(("x", "y", "width", "height", "rx", "ry", "cx", "cy", "r", "x1", "y1", "x2", "y2", "points", "d"))
"""The attributes that say what outline a basic shape has."""


def reshape(element: ET.Element, data: str) -> None:
    """Turn a basic shape into a path of its own outline, given as path data."""
    element.tag = "path"
    for name in GEOMETRY & element.attrib.keys():
        del element.attrib[name]
    element.set("d", data)


def driven_names(
    inside: Iterable[tuple[Part, Sequence[Part]]], driven: Mapping[str, Collection[str]]
) -> Iterator[tuple[Part, Collection[str]]]:
    """List elements with what of them is driven: by itself, or with what they were put together in."""
    for part, above in inside:
        yield part, {name for item in (part, *above) for name in driven.get(item.id, ())}


def overruled_nodes(part: Part, names: Collection[str], sheet: Sheet) -> dict[int, str]:
    """List the animations of an element that its file came with of what is driven, each with what it moves in words."""
    if not names:
        return {}
    mine = {ATTRIBUTES[name][1]: ATTRIBUTES[name][0].label.lower() for name in names if name in ATTRIBUTES}
    if not set(names).isdisjoint(PLACE_NAMES):
        mine["transform"] = "place"
    nodes, overruled = sheet.drawing.nodes, {}
    for index in nodes[part.file_index].children:
        node = nodes[index]
        attribute = "transform" if node.tag == "animateMotion" else node.attributes.get("attributeName", "")
        if node.tag in ANIMATIONS and attribute in mine:
            overruled[index] = mine[attribute]
    return overruled


def overruled_outline(index: int, sheet: Sheet) -> list[int]:
    """List the animations of an element's outline that its file came with, which shapers take the place of."""
    nodes = sheet.drawing.nodes
    inside = [nodes[child] for child in nodes[index].children]
    return [one.index for one in inside if one.tag in ANIMATIONS and one.attributes.get("attributeName") in GEOMETRY]


def silenced_nodes(
    sheet: Sheet, *, plays: bool, driven: Iterable[tuple[Part, Collection[str]]], outlined: Iterable[int] = ()
) -> frozenset[int]:
    """List the animations of a file that do not run.

    Args:
        sheet: the file.
        plays: whether any do; where they do, those of what is driven or shaped give way.
        driven: elements with what of them is driven.
        outlined: the places of elements whose outlines shapers move.
    """
    if not plays:
        return frozenset(node.index for node in sheet.drawing.nodes if node.tag in ANIMATIONS)
    gone = {index for part, names in driven for index in overruled_nodes(part, names, sheet)}
    return frozenset(gone.union(*(overruled_outline(index, sheet) for index in outlined)))


_PASSED = frozenset(("fill", "stroke", "stroke-width", "font-family", "font-size", "color", "preserveAspectRatio"))


def _id(index: int, parts: dict[int, Part], root: Part, prefix: str) -> str:
    part = parts.get(index)
    return f"{prefix}{root.id}--n{index}" if part is None else f"{prefix}{part.id}--own"


def _renamed(text: str, names: dict[str, str]) -> str:
    """Point references at the ids as they are drawn."""
    if text.startswith("#"):
        return f"#{names.get(text[1:], text[1:])}"
    if "url(" in text:
        return _REFERENCE.sub(lambda match: f"url(#{names.get(match[2], match[2])})", text)
    return text


def _set_values(
    attributes: dict[str, str], part: Part, values: Mapping[Target, float | str], above: Sequence[Part]
) -> None:
    """Write a part's values where they are not what the file itself says."""
    params = part.shape.params
    assert isinstance(params, SvgElementParams)
    names, own = params.names.split(), part.values
    if values:  # of what is animated, such as the first frame of an export
        values_at = {name: values.get(Target(part=part.id, property=name)) for name in names}
        own = own | {name: value for name, value in values_at.items() if value is not None}
    if params.tag in PLACED:
        places = [_place(item, values, base="") for item in above]
        places.append(_place(part, values, base=params.base))
        text = " ".join(filter(None, places))
        if text != params.base:
            attributes["transform"] = text
    for name in names:
        item, attribute = ATTRIBUTES[name]
        if name in own or attribute in attributes:
            now = own.get(name, item.default)
            attributes[attribute] = now if isinstance(now, str) else number(float(now))


def _place(part: Part, values: Mapping[Target, float | str], *, base: str) -> str:
    at = [float(values.get(Target(part=part.id, property=name), part.own(name))) for name in PLACE_NAMES]
    return place(at, anchor=(part.anchor.x, part.anchor.y), base=base)

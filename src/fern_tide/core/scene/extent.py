"""Where the parts of a scene are and how large, at rest: what orders, anchors and a first cut go by."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.drawing import draw
from fern_tide.core.scene.gltf.boxes import Placed, placed, seen
from fern_tide.core.scene.gltf.built import Built
from fern_tide.core.scene.gltf.container import Json, items_of
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.core.scene.svg.bounds import box_of, is_rectangle, joined, moved, shape_box
from fern_tide.core.scene.svg.geometry import Box, Matrix, length, matrix_of, place, product, viewed
from fern_tide.core.scene.svg.picture import PLACE_NAMES

_NOT_DRAWN = frozenset(
    ("defs", "clipPath", "mask", "pattern", "symbol", "marker", "filter", "linearGradient", "radialGradient")
)
_SHAPING = ("clip-path", "mask", "filter")
_NEAR = 1e-3  # of the stage
_STILL: Matrix = (1.0, 0.0, 0.0, 1.0, 0.0, 0.0)


@dataclass(frozen=True)
class Extent:
    """Where a part is.

    Attributes:
        stage: its box in shares of the stage, from the upper left: left, top, right, bottom; outside 0 to 1 nothing
            is seen.
        own: its box as anchors are counted, in px, before it is moved, turned and scaled; of a 3D part None.
        middle: the middle of it, in px of the stage, or in metres of the world.
        plain: whether it is an upright rectangle of one colour: where it goes is seen at its edges alone.
    """

    stage: Box
    own: Box | None
    middle: tuple[float, ...]
    plain: bool = False

    @property
    def share(self) -> float:
        """The share of the stage that its box covers, 0 to 1."""
        left, top, right, bottom = (min(1.0, max(0.0, edge)) for edge in self.stage)
        return (right - left) * (bottom - top)

    @property
    def hides_its_edges(self) -> bool:
        """Whether it is plain and reaches over the whole stage: nothing is seen of how it grows."""
        left, top, right, bottom = self.stage
        return self.plain and max(left, top) <= _NEAR and min(right, bottom) >= 1.0 - _NEAR

    def standing(self, part: Part) -> Box | None:
        """Give a 2D part's box as it stands at its own values, in what it lies in; None of a 3D part."""
        if self.own is None or not part.has("x"):
            return self.own
        numbers = [float(part.own(name)) for name in PLACE_NAMES]
        return moved(self.own, matrix_of(place(numbers, anchor=(part.anchor.x, part.anchor.y), base="")))


def extents(scene: Scene, *, media: SceneMedia, built: Built | None = None) -> Mapping[str, Extent]:
    """Find where the parts of a scene are at rest; what is nowhere to be seen is left out.

    Args:
        scene: its parts.
        media: what they were brought in with.
        built: of a 3D scene, the same as glTF.

    Returns:
        By part id. Boxes of text are rough; strokes and what hangs over a clip are left out.
    """
    if scene.kind == "3d":
        return {} if built is None else _in_space(scene, built)
    return _Walk(scene, draw(scene, media=media, picture=lambda file: "")).extents


@dataclass
class _Walk:
    """Goes through a drawing once, from the outside in and back."""

    scene: Scene
    root: ET.Element
    extents: dict[str, Extent] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self._ids = {f"{part.id}--{'own' if _in_file(part) else 'move'}": part for part in self.scene.parts}
        self._scaled = {f"{part.id}--scale": part for part in self.scene.parts if not _in_file(part)}
        self._own: dict[str, Box] = {}
        self._named = {element.get("id"): element for element in self.root.iter() if element.get("id")}
        self._box(self.root, _STILL, 0)
        for part in reversed(self.scene.parts):
            if part.kind.in_file == "gathering":
                self._join(part)

    def _box(self, element: ET.Element, above: Matrix, copies: int) -> Box | None:
        """Give an element's box in what it lies in."""
        tag = element.tag
        if tag in _NOT_DRAWN or element.get("display") == "none":
            return None
        own = self._matrix(element)
        inside = product(above, own)
        boxes = [shape_box(tag, element.attrib, "".join(element.itertext()) if tag == "text" else "")]
        boxes += [self._box(child, inside, copies) for child in element] if tag != "text" else []
        if tag == "use" and copies < 3:
            boxes.append(self._copied(element, inside, copies))
        inner = joined(boxes)
        box = None if inner is None else moved(inner, own)
        if inner is not None and box is not None and not copies:
            self._note(element, inner, box, above)
        return box

    def _note(self, element: ET.Element, inner: Box, box: Box, above: Matrix) -> None:
        """Note where a part is: its box inside its own transforms, and in what it lies in."""
        name = element.get("id", "")
        if (part := self._scaled.get(name)) is not None:
            x, y = part.anchor.x, part.anchor.y
            self._own[part.id] = (inner[0] + x, inner[1] + y, inner[2] + x, inner[3] + y)
        if (part := self._ids.get(name)) is not None:
            own = (
                moved(inner, matrix_of(getattr(part.shape.params, "base", "")))
                if _in_file(part)
                else self._own.get(part.id, box)
            )
            self.extents[part.id] = replace(self._extent(box, own, above), plain=self._is_plain(element, above))

    def _is_plain(self, element: ET.Element, above: Matrix) -> bool:
        if any(element.get(name) for name in _SHAPING):  # what cuts it goes with it
            return False
        inside = product(above, self._matrix(element))
        if element.tag == "g":
            drawn = [child for child in element if child.tag not in _NOT_DRAWN]
            return len(drawn) == 1 and self._is_plain(drawn[0], inside)
        upright = max(abs(inside[1]), abs(inside[2])) < _NEAR * _NEAR
        return upright and "url(" not in element.get("fill", "") and is_rectangle(element.tag, element.attrib)

    def _join(self, gathering: Part) -> None:
        """Note where parts that were put together are, as one."""
        inside = [p for p in self.scene.parts if p.parent == gathering.id and p.id in self.extents]
        box = joined([self.extents[part.id].stage for part in inside])
        if box is not None:
            own = joined([self.extents[part.id].standing(part) for part in inside])
            middle = ((box[0] + box[2]) / 2 * self.scene.width, (box[1] + box[3]) / 2 * self.scene.height)
            self.extents[gathering.id] = Extent(box, own, middle)

    def _copied(self, element: ET.Element, above: Matrix, copies: int) -> Box | None:
        original = self._named.get(element.get("href", "").removeprefix("#"))
        if original is None or original is element:
            return None
        by = (1.0, 0.0, 0.0, 1.0, length(element.get("x")) or 0.0, length(element.get("y")) or 0.0)
        box = self._box(original, product(above, by), copies + 1)
        return None if box is None else moved(box, by)

    def _matrix(self, element: ET.Element) -> Matrix:
        if element.tag == "svg" and element is not self.root:
            return viewed(element.attrib)
        return matrix_of(element.get("transform", ""))

    def _extent(self, box: Box, own: Box, above: Matrix) -> Extent:
        on_stage = moved(box, above)
        width, height = self.scene.width, self.scene.height
        shares = (on_stage[0] / width, on_stage[1] / height, on_stage[2] / width, on_stage[3] / height)
        return Extent(shares, own, ((on_stage[0] + on_stage[2]) / 2, (on_stage[1] + on_stage[3]) / 2))


def _in_file(part: Part) -> bool:
    return part.kind.in_file == "element"


def _in_space(scene: Scene, built: Built) -> dict[str, Extent]:
    """Find where 3D parts are seen by the scene's first camera; a material is where the nodes are that have it."""
    gltf = built.closed()
    where = placed(gltf)
    view, shape = where.view, scene.width / scene.height
    worn, lit = _worn(gltf.json), _lit(gltf.json)
    inner: dict[str, list[str]] = {}
    for part in scene.parts:
        inner.setdefault(part.parent or "", []).append(part.id)
    where_parts: dict[str, Extent] = {}
    for part in reversed(scene.parts):
        points = _points(part, built, where, worn=worn, lit=lit)
        if points is not None:
            box = box_of(map(tuple, seen(points, view=view, shape=shape).tolist()))
            assert box is not None
            where_parts[part.id] = Extent(box, None, tuple(((points.min(axis=0) + points.max(axis=0)) / 2).tolist()))
        elif part.kind.in_file == "file":
            boxes = [where_parts[name] for name in inner.get(part.id, []) if name in where_parts]
            whole = joined([item.stage for item in boxes])
            if whole is not None:
                where_parts[part.id] = Extent(
                    whole, None, tuple(np.mean([item.middle for item in boxes], axis=0).tolist())
                )
    return where_parts


def _worn(document: Json) -> dict[int, list[int]]:
    """List the nodes that each material is on."""
    worn: dict[int, list[int]] = {}
    meshes = items_of(document, "meshes")
    for index, node in enumerate(items_of(document, "nodes")):
        for item in items_of(meshes[node["mesh"]], "primitives") if "mesh" in node else ():
            worn.setdefault(item.get("material", -1), []).append(index)
    return worn


def _lit(document: Json) -> dict[int, list[int]]:
    """List the nodes at which each light is."""
    lit: dict[int, list[int]] = {}
    for index, node in enumerate(items_of(document, "nodes")):
        light = node.get("extensions", {}).get("KHR_lights_punctual", {}).get("light")
        if light is not None:
            lit.setdefault(light, []).append(index)
    return lit


def _points(
    part: Part, built: Built, where: Placed, *, worn: Mapping[int, list[int]], lit: Mapping[int, list[int]]
) -> FloatArray | None:
    place = built.places.get(part.id, {})
    if part.kind.in_file == "material":
        own = [where.corners[node] for node in worn.get(place.get("material", -2), []) if node in where.corners]
        return np.concatenate(own) if own else None
    node = place.get("node", -1)
    if node in where.corners:
        return where.corners[node]
    at = [where.worlds[one][:3, 3] for one in lit.get(place.get("light", -1), []) if one in where.worlds]
    return np.array(at) if at else None

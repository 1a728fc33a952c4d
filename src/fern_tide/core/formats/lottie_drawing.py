"""A 2D scene as Lottie's layers: drawn as SVG once, and turned into shapes from the outside in."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Collection, Sequence
from typing import Any

from fern_tide.core.formats.format import HandOff, KeyParams
from fern_tide.core.formats.lottie_clips import Clips, Untold, Window, address, cutter_of, mask_window, view_window
from fern_tide.core.formats.lottie_gradients import Gradients, Motion
from fern_tide.core.formats.lottie_layers import Assets, Layers, names_in
from fern_tide.core.formats.lottie_measures import unseen_name
from fern_tide.core.formats.lottie_motions import Motions
from fern_tide.core.formats.lottie_outlines import shaped_ways, sounding_ways, way
from fern_tide.core.formats.lottie_paints import Paints, number
from fern_tide.core.formats.lottie_shapes import (
    SHAPES,
    Item,
    box_of_shape,
    group,
    matrix_transform,
    name_of,
    outlines,
    polygon,
    px,
    still,
    tag_of,
    transform,
)
from fern_tide.core.formats.lottie_text import STYLES, box_of_runs, runs_of
from fern_tide.core.formats.shaped import shaped_parts
from fern_tide.core.scene.drawing import draw, level_names
from fern_tide.core.scene.outlines import OUTLINE
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.svg.geometry import Box, Matrix, matrix_of, product, viewed

_INHERITED = (
    "color", "fill", "stroke", "stroke-width", "stroke-linecap", "stroke-linejoin", "stroke-miterlimit",
    "stroke-dasharray", "stroke-dashoffset", "fill-opacity", "stroke-opacity", "fill-rule", "visibility", *STYLES,
)  # fmt: skip
_OTHERS = frozenset(("g", "svg", "use", "a", "switch", "text", "image"))
_PAINTED = ("fill", "stroke", "stroke-width", "fill-opacity", "stroke-opacity", "stroke-dashoffset")
_DEFAULTS = {"fill": "#000000", "stroke": "none", "stroke-width": "1"}


class Drawing:
    """A scene drawn as SVG, turned into shapes from the outside in."""

    def __init__(self, hand_off: HandOff, params: KeyParams) -> None:
        self.hand_off, self._motions = hand_off, Motions(hand_off, params)
        self._whose: dict[ET.Element, tuple[Part, str]] = {}
        self._shaped = {name: shaped_ways(one, params) for name, one in shaped_parts(hand_off).items()}
        self._ways: dict[ET.Element, list[Item]] = {}
        self._mattes: dict[tuple[ET.Element, tuple[int, int], tuple[int, int]], Item | None] = {}
        self._bent: list[Item] = []
        self.assets = Assets()
        first = {curve.target: curve.at(0) for curve in hand_off.curves if curve.n_frames}
        self.root = draw(hand_off.scene, media=hand_off.media, values=first, dress=self._dress)
        self._named = {name: element for element in self.root.iter() if (name := element.get("id"))}
        self._clips = Clips(self._named)
        self._paint = Paints(params, Gradients(self.root, params, self._stop))

    def _dress(self, part_id: str, slot: str, element: ET.Element) -> None:
        if slot.startswith(OUTLINE):
            self._ways[element] = self._shaped[part_id][int(slot.removeprefix(OUTLINE))]
            return
        self._whose[element] = (self.hand_off.scene.part(part_id), slot)

    def layers(self) -> list[Item]:
        """Give a layer for everything that lies in the scene itself, the top one first."""
        items = [item for child in self.root for item in self._items(child, dict(_DEFAULTS))]
        items = [*self._unseen(names_in(items)), *items]
        layers = Layers(self.assets, self.hand_off.n_frames)
        layers.add(items[::-1])
        return layers.items

    def _unseen(self, drawn: Collection[str]) -> list[Item]:
        """Give what moves in drawings and is drawn nowhere, such as what is hidden: its numbers go along, unseen.

        So do the measures of what shapers give another outline.
        """
        unseen: dict[str, Item] = {}
        for element, (part, _) in self._whose.items():
            is_in = part.id in drawn or part.id in unseen
            if is_in or part.kind.in_file != "element" or not self._motions.curves(part):
                continue
            paint = self._inherited(element, dict(_DEFAULTS), part)
            moved = {name.split()[0].split("-")[0] for name in paint if name.endswith(" moved")}
            paint |= dict.fromkeys(moved, "#000000")  # that there is something to paint
            painted = self._paint.of(paint, ())
            if tag_of(element) == "stop":
                painted = [self._paint.gradients.of_stop(element)]
            opacity = self._motions.moved(part, "opacity")
            changes = {} if opacity is None else {"o": self._motions.percent(opacity.values)}
            at = self._motions.place(part, changes) if part.has("x") else transform(changes)
            ways = self._motions.measured(part, element)[0]
            unseen[part.id] = group(part.id, [*ways, *painted], at)
        items = [*unseen.values(), *self._bent]
        return [group("(unseen)", items, transform({"o": still(0)}))] if items else []

    def _items(self, element: ET.Element, paint: dict[str, Any]) -> list[Item]:
        """Turn an element into items as SVG draws them, the lowest first."""
        tag = tag_of(element)
        whose = self._whose.get(element)
        if whose is not None and whose[1] == "move":
            return [self._part(element, whose[0], paint)]
        if tag not in SHAPES | _OTHERS or element.get("display") == "none":
            return []
        paint = self._inherited(element, paint, whose[0] if whose else None)
        if tag == "image":
            inner = [] if paint.get("visibility") == "hidden" else self.assets.shown(element)
        elif tag == "text":
            inner = self._words(element, paint)
        elif tag in SHAPES:
            inner = self._shape(element, paint, whose[0] if whose else None)
        elif tag == "use":
            inner = self._used(element, paint)
        else:
            inner = [item for child in element for item in self._items(child, paint)]
        return self._placed(element, whose[0] if whose else None, self._cut_out(element, inner))

    def _cut_out(self, element: ET.Element, inner: list[Item]) -> list[Item]:
        """Cut what an element draws by its own edges, its clip path and its mask."""
        edges = view_window(element.attrib) if tag_of(element) == "svg" and element is not self.root else None
        if edges is not None and inner:
            inner = [self._seen_through(edges, inner)]
        try:
            clip = cutter_of(element, "clip-path", self._named)
            if clip is not None and inner:
                window = self._clips.window(clip, box=box_of_shape(element))
                inner = [] if window is None else [self._seen_through(window, inner)]
            mask = cutter_of(element, "mask", self._named)
            return inner if mask is None or not inner else self._masked(mask, inner, box_of_shape(element))
        except Untold:
            return inner  # it is seen whole

    def _seen_through(self, window: Window, items: list[Item]) -> Item:
        return self.assets.seen_through(window, items[::-1], n_frames=self.hand_off.n_frames)

    def _masked(self, mask: ET.Element, inner: list[Item], box: Box | None) -> list[Item]:
        window = mask_window(mask, named=self._named, box=box)
        if window is None:
            return []
        key = (mask, window.low, window.size)
        if key not in self._mattes:
            self._mattes[key] = None  # while it is made: one that is in itself cuts nothing there
            paint = self._inherited(mask, dict(_DEFAULTS), None)
            light = [item for child in mask for item in self._items(child, paint)]
            self._mattes[key] = self._seen_through(window, light)
        matte, by_light, n_frames = self._mattes[key], mask.get("mask-type") != "alpha", self.hand_off.n_frames
        if matte is None:
            return inner
        item = self._seen_through(window, inner)
        return [self.assets.matted(item, matte, window, by_light=by_light, n_frames=n_frames)]

    def _part(self, element: ET.Element, part: Part, paint: dict[str, Any]) -> Item:
        """Turn the nested groups of a part into one."""
        self.hand_off.progress(len(self._motions.curves(part)))
        turn = element[0]
        back = turn[0][0]
        inner = [item for child in back for item in self._items(child, paint)]
        changes = {"o": self._motions.percent(self._motions.rows(part, "opacity"))} if part.has("opacity") else {}
        return group(part.id, inner[::-1], self._motions.place(part, changes))

    def _inherited(self, element: ET.Element, paint: dict[str, Any], part: Part | None) -> dict[str, Any]:
        own: dict[str, Any] = {
            name: text for name in _INHERITED if (text := element.get(name)) is not None and text != "inherit"
        }
        still = {name: text for name, text in paint.items() if name.removesuffix(" moved") not in own}
        moved = {} if part is None else {f"{name} moved": self._motions.moved(part, name) for name in _PAINTED}
        return {**still, **own, **{name: curve for name, curve in moved.items() if curve is not None}}

    def _placed(self, element: ET.Element, part: Part | None, inner: list[Item]) -> list[Item]:
        """Put what an element draws into groups that place it, where it has a place, an opacity or a motion."""
        if not inner:
            return []
        changes: dict[str, Any] = {}
        opacity = element.get("opacity", "1")
        part = part if part is not None and part.kind.in_file == "element" else None
        curve = None if part is None else self._motions.moved(part, "opacity")
        if curve is not None:
            changes["o"] = self._motions.percent(curve.values)
        elif opacity not in {"1", ""}:
            changes["o"] = {"a": 0, "k": 100 * number(opacity, 1.0)}
        links = [] if part is None else self._motions.links(part)
        if part is not None and links:
            self.hand_off.progress(len(self._motions.curves(part)))
            base = str(getattr(part.shape.params, "base", ""))
            item = group(part.id, inner[::-1], matrix_transform(matrix_of(base), changes))
            for link in reversed(links):
                item = group(link.id, [item], self._motions.place(link))
            return [item]
        matrix = self._matrix(element)
        if matrix == (1.0, 0.0, 0.0, 1.0, 0.0, 0.0) and not changes and part is None:
            return inner
        return [group(part.id if part else name_of(element), inner[::-1], matrix_transform(matrix, changes))]

    def _matrix(self, element: ET.Element) -> Matrix:
        matrix = matrix_of(element.get("transform", ""))
        if tag_of(element) == "svg" and element is not self.root:
            return product(matrix, viewed(element.attrib))
        return matrix

    def _used(self, element: ET.Element, paint: dict[str, Any]) -> list[Item]:
        wanted = self._named.get(address(element)[1:])
        if wanted is None or any(wanted is one for one in self.root) or tag_of(wanted) == "use":
            return []
        moved: Matrix = (1.0, 0.0, 0.0, 1.0, px(element, "x"), px(element, "y"))
        if tag_of(wanted) == "symbol":
            paint = self._inherited(wanted, paint, None)
            inner = [item for child in wanted for item in self._items(child, paint)]
            size = {name: text for name in ("width", "height") if (text := element.get(name))}
            moved = product(moved, viewed({**wanted.attrib, **size}))
        else:
            inner = self._items(wanted, paint)
        return [group("(use)", inner[::-1], matrix_transform(moved))] if inner else []

    def _shape(self, element: ET.Element, paint: dict[str, Any], part: Part | None) -> list[Item]:
        if paint.get("visibility") == "hidden":
            return []
        measured, moving_boxes = ([], []) if part is None else self._motions.measured(part, element)
        boxes: Sequence[Box] = [box] if (box := box_of_shape(element)) else []
        if element in self._ways:
            ways = self._ways[element]
            if part is not None and measured:
                self._bent.append(group(unseen_name(part), measured, transform()))
        elif part is not None and any(name in self._motions.curves(part) for name in level_names(part)):
            ways = sounding_ways(part, self._motions.rows(part, *level_names(part)))
        elif measured:
            ways, boxes = measured, moving_boxes
        else:
            ways = outlines(element)
        name = part.id if part else name_of(element)
        return [self._paint.group(name, ways, paint, boxes)] if ways else []

    def _words(self, text: ET.Element, paint: dict[str, Any]) -> list[Item]:
        """Turn a text into the outlines of its letters, a group for each stretch that is painted as one."""
        runs = runs_of(text, {name: value for name, value in paint.items() if name in STYLES})
        boxes, items = box_of_runs(runs), []
        for run in runs:
            own, element, part = paint, text, self._whose.get(text, (None, ""))[0]
            for element in run.elements:
                part = self._whose.get(element, (None, ""))[0]
                own = self._inherited(element, own, part)
            if own.get("visibility") != "hidden":
                ways = [way(polygon(loop)) for loop in run.loops]
                items.append(self._paint.group(part.id if part else name_of(element), ways, own, boxes))
        return items

    def _stop(self, stop: ET.Element) -> Motion:
        """Say whose a gradient's stop is, and by what curves it moves."""
        if stop not in self._whose:
            return "-", {}
        part = self._whose[stop][0]
        moved = {name: self._motions.moved(part, name) for name in ("offset", "stop-color", "stop-opacity")}
        return part.id, {name: curve for name, curve in moved.items() if curve is not None}

"""What the picker shows: properties found by what is typed, those used last and driven first, and parts to open."""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET
from collections import OrderedDict
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from threading import Lock, Thread

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.commands.command import Command
from fern_tide.core.commands.mapping import PutMapping
from fern_tide.core.document import Project
from fern_tide.core.scene.drawing import markup
from fern_tide.core.scene.gltf.sketch import sketch
from fern_tide.core.scene.graphic import is_level
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.core.scene.search import SearchIndex
from fern_tide.core.scene.svg.geometry import Box
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.derive.stages import Staged
from fern_tide.workflows.tune import aiming, edits

MOST_ROWS = 40
_MOST_RECENT, _MOST_DRIVEN = 5, 12
_REMEMBERED = 6
_indexes: OrderedDict[int, SearchIndex] = OrderedDict()
_lock = Lock()
_VIEW_BOX = re.compile(r'viewBox="([^"]+)"')
_ROOM, _LEAST_SHARE = 1.25, 0.06  # how much about a part its picture shows; of the stage's width at least


@dataclass(frozen=True)
class Row:
    """A line of the picker: a property to pick, or a part to open.

    Attributes:
        part: whose.
        item: the property; None for a part to open.
        inside: the name of what the part lies in; ''.
        driven: the name of the mapping that moves it; ''.
        why: 'recent', 'driven' or ''.
        count: of a part, how many properties it has.
    """

    part: Part
    item: Property | None = None
    inside: str = ""
    driven: str = ""
    why: str = ""
    count: int = 0

    @property
    def target(self) -> str:
        """What is picked: 'lamp:turn'; '' for a part."""
        return f"{self.part.id}:{self.item.id}" if self.item else ""


def rows(project: Project, text: str, *, recent: Sequence[Target] = (), part_id: str = "") -> list[Row]:
    """Give the picker's lines, 40 at most.

    Args:
        project: the document.
        text: what is typed; '' gives what was used last, what is driven, and parts.
        recent: what was picked last, the latest first; what is no more is left out.
        part_id: a part that is open: only its properties are given, and found.

    Raises:
        UnknownName: there is no such part.
    """
    drivers = {drive.target: mapping.name for mapping in project.mappings for drive in mapping.drives}

    def row(part: Part, item: Property | None, why: str = "") -> Row:
        inside = project.scene.part(part.parent).name if part.parent else ""
        if item is None:
            return Row(part, None, inside, count=sum(not is_level(one.id) for one in part.properties))
        return Row(part, item, inside, drivers.get(Target(part=part.id, property=item.id), ""), why)

    if part_id:
        part = project.scene.part(part_id)
        words = text.lower().split()
        items = [item for item in part.properties if not is_level(item.id)]
        return [row(part, item) for item in items if all(word in item.label.lower() for word in words)]
    if text.strip():
        matches = _index(project.scene).find(text, first=drivers.keys() | set(recent), most=MOST_ROWS)
        return [row(match.part, match.item) for match in matches]
    Thread(target=_index(project.scene).make_ready, daemon=True).start()  # while the hand goes to the keys
    used = [row(*resolved, "recent") for resolved in _there(project.scene, recent[:_MOST_RECENT])]
    shown = {one.target for one in used}
    driven = [
        row(*resolved, "driven")
        for resolved in _there(project.scene, [item.drives[0].target for item in project.mappings[:_MOST_DRIVEN]])
        if f"{resolved[0].id}:{resolved[1].id}" not in shown
    ]
    parts = [row(part, None) for part in project.scene.parts[: MOST_ROWS - len(used) - len(driven)]]
    return [*used, *driven, *(one for one in parts if one.count)]


def _there(scene: Scene, targets: Sequence[Target]) -> list[tuple[Part, Property]]:
    resolved = []
    for target in targets:
        try:
            resolved.append(scene.resolve(target))
        except FernTideError:
            continue  # of a scene that was there before
    return resolved


def _index(scene: Scene) -> SearchIndex:
    with _lock:
        index = _indexes.get(id(scene))
        if index is None or index.scene is not scene:
            index = _indexes[id(scene)] = SearchIndex(scene)
        _indexes.move_to_end(id(scene))
        while len(_indexes) > _REMEMBERED:
            _indexes.popitem(last=False)
    return index


def tried(
    levels: Levels, project: Project, *, target: Target, mapping_id: str, place: int, envelope_id: str
) -> Command:
    """Give the edit that picking a property would be, for a look at it.

    Args:
        levels: for the marks of a new mapping.
        project: the document.
        target: the property.
        mapping_id: a mapping of which a drive goes there; '' for a new mapping.
        place: of the drive.
        envelope_id: what a new mapping follows; '' for the first.

    Raises:
        UnknownName: there is no such mapping, part or property.
        InvalidParameter: the mapping drives the property already, or there is no envelope.
        NotAnalyzedYet: the level cannot be read yet.
    """
    if mapping_id:
        return PutMapping(mapping=aiming.aim(project, project.mapping(mapping_id), place=place, target=target))
    envelope = envelope_id or aiming.first_choice(project)[0]
    return PutMapping(mapping=edits.new_mapping(levels, project, envelope_id=envelope, target=target))


def picture_of(staged: Staged, part_id: str) -> str:
    """Draw a part as it stands in its scene at rest, with a little of what lies about it, as the text of an SVG.

    Raises:
        UnknownName: there is no such part.
    """
    extent = staged.extents.get(staged.scene.part(part_id).id)
    if staged.scene.kind == "3d":
        picture = sketch(staged.built)
        return picture if extent is None else _VIEW_BOX.sub(f'viewBox="{_about(extent.stage, 320.0, 180.0)}"', picture)
    if extent is None:
        return markup(staged.drawn)
    width, height = float(staged.scene.width), float(staged.scene.height)
    box = _about(extent.stage, width, height)
    left, top, wide, tall = (float(word) for word in box.split())
    window = (left / width, top / height, (left + wide) / width, (top + tall) / height)
    shown = {staged.names_of_boxes[at] for at in np.flatnonzero(_meet(staged.boxes, window)).tolist()}
    drawing = _without(staged.drawn, shown)
    drawing.set("viewBox", box)
    return markup(drawing)


def _about(box: Box, width: float, height: float) -> str:
    """Give a square view box about a box in shares of a picture, with some room."""
    low_x, low_y, high_x, high_y = (min(1.5, max(-0.5, edge)) for edge in box)
    side = _ROOM * max((high_x - low_x) * width, (high_y - low_y) * height, _LEAST_SHARE * width)
    x, y = (low_x + high_x) / 2 * width - side / 2, (low_y + high_y) / 2 * height - side / 2
    return f"{x:.2f} {y:.2f} {side:.2f} {side:.2f}"


def _meet(boxes: FloatArray, window: Box) -> npt.NDArray[np.bool_]:
    """Say which boxes, shape (boxes, 4), have something in common with a window; shape (boxes,)."""
    left, top, right, bottom = boxes.T
    return np.asarray((left <= window[2]) & (right >= window[0]) & (top <= window[3]) & (bottom >= window[1]))


def _without(element: ET.Element, shown: Collection[str]) -> ET.Element:
    """Copy an element without the parts inside that are not shown."""
    copy = ET.Element(element.tag, element.attrib)
    copy.text, copy.tail = element.text, element.tail
    for child in element:
        part, slash, slot = child.get("id", "").rpartition("--")
        if not slash or slot not in {"own", "move"} or part in shown:
            copy.append(_without(child, shown))
    return copy

"""The Stage: the scene, the tree of its parts, and every property of the selected one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from flask import Blueprint, Response, jsonify, render_template, request

from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import READINGS
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.drawing import draw, markup
from fern_tide.core.scene.graphic import is_level
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.scene import PART_KINDS, Part, Scene
from fern_tide.store.projects import Revision
from fern_tide.web.context import body, services, staged, standing, studio, whole
from fern_tide.web.heads import head
from fern_tide.workflows.tune import aiming, edits, make_part
from fern_tide.workflows.tune.squash import squash_of

pages = Blueprint("stage", __name__, url_prefix="/p/<key>/stage")
ALL_OPEN = 80
MOST_ROWS = 300
MOST_CHOICES = 400
PREFIX = "stage-"
BESIDE = "beside-"


def drawing(key: str, scene: Scene, *, prefix: str = PREFIX) -> str:
    """Draw a 2D scene for the page; a 3D one is drawn there."""
    if scene.kind == "3d":
        return ""
    address = f"/p/{key}/stage/pictures/"
    return markup(draw(scene, media=staged(scene).media, prefix=prefix, picture=lambda file: address + file.id))


@pages.get("")
def room(key: str) -> str:
    """Show the room."""
    revision = studio().projects.current(key)
    scene = revision.document.scene
    return render_template("stage.html", room="stage", stage=drawing(key, scene), **_shown(revision))


@pages.get("/parts")
def parts(key: str) -> str:
    """Show the tree and the selected part anew."""
    return render_template("stage/parts.html", **_shown(studio().projects.current(key)))


@pages.get("/drawing")
def drawn(key: str) -> Response:
    """Give the drawing anew, after the scene was changed; a second one on the page has ids of its own."""
    prefix = BESIDE if request.args.get("prefix") == BESIDE else PREFIX
    return Response(drawing(key, studio().projects.head(key)[1].scene, prefix=prefix), mimetype="image/svg+xml")


@pages.post("/parts")
def add(key: str) -> Any:
    """Make a part of a kind, in the middle of what is looked at."""
    plain = body()
    revision = studio().projects.current(key)
    command = make_part.made(revision.document.scene, str(plain.get("kind")))
    saved = edits.edit(studio(), key, command, base=whole(plain, "base"))
    return jsonify({**standing(saved), "chosen": {"part": command.part.id}})


@pages.post("/parts/<part_id>/copy")
def copy(key: str, part_id: str) -> Any:
    """Make another one of a part; of a picture, one that shows only its middle."""
    plain = body()
    scene = studio().projects.current(key).document.scene
    command = make_part.copied(scene, part_id, middle=bool(plain.get("middle")))
    saved = edits.edit(studio(), key, command, base=whole(plain, "base"))
    return jsonify({**standing(saved), "chosen": {"part": command.part.id}})


@pages.post("/parts/<part_id>/draw")
def draw_by_sound(key: str, part_id: str) -> Any:
    """Let a reading of the first driving track draw a sound graphic."""
    plain = body()
    project = studio().projects.current(key).document
    command = make_part.drawn_by_sound(services().levels, project, part_id, reading=str(plain.get("reading")))
    return jsonify(standing(edits.edit(studio(), key, command, base=whole(plain, "base"))))


@pages.get("/node/<int:index>")
def part_of_node(key: str, index: int) -> Any:
    """Say which part a node of the stage's glTF file is."""
    built = staged(studio().projects.head(key)[1].scene).built
    found = next((name for name, place in built.places.items() if place.get("node") == index), None)
    return jsonify(part=found)


@dataclass(frozen=True)
class Row:
    """A row of the tree.

    Attributes:
        part: which.
        depth: how far inside.
        count: how many parts are inside it.
        open: whether they are shown.
        runs: the first driven property, as 'lamp:turn', or ''.
        label: that property's label.
        unit: that property's unit.
    """

    part: Part
    depth: int
    count: int
    open: bool
    runs: str = ""
    label: str = ""
    unit: str = ""


@dataclass(frozen=True)
class PropertyRow:
    """A row of the selected part's properties.

    Attributes:
        item: the property.
        target: as text.
        own: the part's own value.
        drives: what drives it, with the mapping.
        follow: what it follows, in words, or ''.
        low: the left end of the slider.
        high: its right end.
        rest: where the tick of rest is, from 0 to 1, or None.
        full: where the tick of full is.
    """

    item: Property
    target: str
    own: float | str
    drives: tuple[tuple[Mapping, Drive], ...]
    follow: str
    low: float
    high: float
    rest: float | None
    full: float | None


def _shown(revision: Revision) -> dict[str, Any]:
    project = revision.document
    scene = project.scene
    wanted = request.args.get("part")
    part = next((item for item in scene.parts if item.id == wanted), next(iter(scene.parts), None))
    moved = services().levels.graph(project).drivers
    chosen = request.args.get("property", "")
    return {
        "key": revision.key,
        "revision": revision,
        "project": project,
        "standing": standing(revision),
        "scene": scene,
        "part": part,
        "rows": _rows(scene, part, moved, request.args.get("open", "").split(","), request.args.get("find", "")),
        "find": request.args.get("find", ""),
        "properties": _properties(project, part, moved) if part else (),
        "head": head(staged(scene), part) if part else None,
        "chosen": chosen if part and part.has(chosen) else "",
        "tied": _tied(project, part, chosen) if part and part.has(chosen) else None,
        "readings": READINGS,
        "n_driven": len(moved),
        "n_driven_parts": len({target.part for target in moved}),
        "kinds": [kind for kind in PART_KINDS.values() if kind.offered and kind.space == scene.kind],
        "file": _file(scene, part),
        "envelopes": project.envelopes,
        "targets_of": aiming.places_for,
        "graphic": _graphic(project, part) if part else None,
        "groups": _groups(scene, part) if part else (),
        "squash": squash_of(scene, part) if part else None,
        "place": [item.id for item in scene.parts if item.parent == part.parent].index(part.id) if part else 0,
        "solid_anchors": lambda item: {w: a.model_dump() for w, a in make_part.middle_of(item).items()},
        "track": next(iter(project.tracks), None),
    }


def _graphic(project: Project, part: Part) -> dict[str, Any] | None:
    """What draws a sound graphic; None for other parts."""
    if not any(is_level(item.id) for item in part.properties):
        return None
    return {
        "mappings": make_part.drawing(project, part.id),
        "levels": sum(is_level(item.id) for item in part.properties),
    }


def _groups(scene: Scene, part: Part) -> list[Part]:
    """The groups that a part could go into: all but those inside it."""
    inside = {item.id for item in scene.branch(part.id)}
    return [item for item in scene.parts if item.kind.holds and item.id not in inside][:MOST_CHOICES]


def _file(scene: Scene, part: Part | None) -> Any:
    file = getattr(part.shape.params, "file", None) if part else None
    return scene.file(file) if file else None


def _rows(scene: Scene, chosen: Part | None, moved: dict[Target, Any], opened: list[str], find: str) -> list[Row]:
    """The rows of the tree: all of a small one; of a large one those that are open, or that a search finds."""
    inside: dict[str | None, list[Part]] = {}
    known = {part.id: part for part in scene.parts}
    for part in scene.parts:
        inside.setdefault(part.parent, []).append(part)
    runs: dict[str, Target] = {}
    for target in moved:
        if not is_level(target.property):
            runs.setdefault(target.part, target)
    roots = inside.get(None, ())
    open_now = set(known) - set(opened) if len(scene.parts) <= ALL_OPEN else set(opened)
    if len(roots) == 1 and roots[0].id not in opened:
        open_now.add(roots[0].id)
    above = chosen.parent if chosen else None
    while above is not None:
        open_now.add(above)
        above = known[above].parent
    found: list[Row] = []

    def row(part: Part, depth: int) -> Row:
        target = runs.get(part.id)
        item = part.property(target.property) if target else None
        count, is_open = len(inside.get(part.id, ())), part.id in open_now
        if target is None or item is None:
            return Row(part, depth, count, is_open)
        return Row(part, depth, count, is_open, str(target), item.label.lower(), item.unit)

    if find.strip():
        hits = [part for part in scene.parts if find.strip().lower() in part.name.lower()]
        return [row(part, 0) for part in hits[:MOST_ROWS]]
    waiting = [(part, 0) for part in reversed(inside.get(None, ()))]
    while waiting and len(found) < 2 * MOST_ROWS:
        part, depth = waiting.pop()
        found.append(row(part, depth))
        if part.id in open_now:
            waiting += [(item, depth + 1) for item in reversed(inside.get(part.id, [])[:MOST_ROWS])]
    return found


def _properties(project: Project, part: Part, moved: dict[Target, Any]) -> tuple[PropertyRow, ...]:
    found = []
    for item in part.properties:
        if is_level(item.id):
            continue
        target = Target(part=part.id, property=item.id)
        own = part.own(item.id)
        drives = tuple(moved.get(target, ()))
        follow = project.scene.follow_of(target)
        words = ""
        if follow is not None:
            source, followed = project.scene.resolve(follow.source)
            words = f"{source.name}, {followed.label.lower()}"
        low, high, rest, full = _reach(item, own, drives)
        found.append(PropertyRow(item, str(target), own, drives, words, low, high, rest, full))
    return tuple(found)


def _reach(
    item: Property, own: float | str, drives: tuple[tuple[Mapping, Drive], ...]
) -> tuple[float, float, float | None, float | None]:
    """Give the ends of a slider, and where rest and full lie on it; a colour has none."""
    if isinstance(own, str):
        return 0.0, 1.0, None, None
    ends = [float(value) for _, drive in drives for value in (drive.rest, drive.full)]
    if not ends:
        low, high = item.reach(own)
        full = float(item.suggest_ends(own)[1])
        return min(low, full), max(high, full), None, None
    room = 0.25 * (max(ends) - min(ends) or abs(float(item.swing)) or 1.0)
    low, high = min(ends) - room, max(ends) + room
    low = max(low, item.low) if item.low is not None else low
    high = min(high, item.high) if item.high is not None else high
    low, high = min(low, *ends), max(high, *ends)
    span = (high - low) or 1.0
    return low, high, (ends[0] - low) / span, (ends[1] - low) / span


def _tied(project: Project, part: Part, name: str) -> dict[str, Any]:
    """Limits of a property, and what it follows or could follow."""
    target, item = Target(part=part.id, property=name), part.property(name)
    choices = []
    for other in project.scene.parts:
        for candidate in other.properties:
            if candidate.kind == item.kind and (other.id, candidate.id) != (part.id, name):
                choices.append((f"{other.id}:{candidate.id}", f"{other.name}, {candidate.label.lower()}"))
        if len(choices) > MOST_CHOICES:
            break
    return {
        "item": item,
        "target": str(target),
        "limit": project.scene.limit_of(target),
        "follow": project.scene.follow_of(target),
        "choices": choices,
    }

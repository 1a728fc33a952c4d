"""Parts chosen together on the Stage: chosen by likeness or a box, and edited as one."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, jsonify, render_template, request

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.naming import fresh_id
from fern_tide.core.commands.command import Command, by_id
from fern_tide.core.commands.mapping import PutMapping
from fern_tide.core.commands.registry import read_command
from fern_tide.core.commands.several import PutSelection, RemoveSelection
from fern_tide.core.document import Project
from fern_tide.core.scene.scene import Scene
from fern_tide.core.scene.selection import Selection
from fern_tide.core.scene.svg.geometry import Box
from fern_tide.web.context import body, services, staged, status, studio, whole
from fern_tide.web.views.several import line_of, parts_of
from fern_tide.workflows.derive.analysis import NotAnalyzedYet
from fern_tide.workflows.tune import anchoring, edits, first_cut, several
from fern_tide.workflows.tune.several import Choosing
from fern_tide.workflows.tune.tried_order import order_tried

pages = Blueprint("several", __name__, url_prefix="/p/<key>/stage")


def _document(key: str) -> Project:
    return studio().projects.current(key).document


def _saved(key: str, plain: dict[str, Any], command: Command, **more: Any) -> Any:
    return jsonify({**status(edits.edit(studio(), key, command, base=whole(plain, "base"))), **more})


def _ids(scene: Scene, plain: dict[str, Any]) -> list[str]:
    """Read which parts are meant; those that are no more are left out.

    Raises:
        InvalidParameter: there are none, or too many.
    """
    asked = plain.get("parts")
    ids = [part.id for part in parts_of(scene, [str(one) for one in asked])] if isinstance(asked, list) else []
    if not ids:
        raise InvalidParameter("parts", value="none", allowed="one or more parts of the scene")
    return ids


@pages.get("/orders/<order>")
def in_order(key: str, order: str) -> Any:
    """Give parts that are chosen together, or an array's pieces, as an order would have them. Nothing is changed."""
    project, asked = _document(key), request.args.to_dict()
    if "array" in asked:
        return jsonify(pieces=order_tried(project, project.scene.part(asked["array"]), order))
    line = line_of({**asked, "order": order})
    parts = [part.id for part in parts_of(project.scene, asked.get("parts", "").split(","))]
    return jsonify(parts=[part for part, _ in several.in_line(staged(project.scene), parts, line=line)])


@pages.post("/choose")
def choose(key: str) -> Any:
    """Say which parts are like others, lie in a box, or are all the others. Nothing is changed."""
    plain = body()
    how = str(plain.get("how"))
    if how not in set(Choosing):
        raise InvalidParameter("how", value=how, allowed=f"one of {', '.join(Choosing)}")
    stage = staged(_document(key).scene)
    given = plain.get("parts")
    parts = [part.id for part in parts_of(stage.scene, [str(one) for one in given])] if isinstance(given, list) else []
    asked = plain.get("nodes")
    nodes = [one for one in asked if isinstance(one, int)] if isinstance(asked, list) else []
    ids, count = several.chosen(stage, how=Choosing(how), parts=parts, box=_box(plain.get("box")), nodes=nodes)
    return jsonify(parts=ids, count=count)


def _box(plain: Any) -> Box | None:
    if plain is None:
        return None
    if not isinstance(plain, list) or len(plain) != 4 or not all(isinstance(edge, int | float) for edge in plain):
        raise InvalidParameter("box", value="no box", allowed="left, top, right and bottom")
    left, top, right, bottom = map(float, plain)
    return left, top, right, bottom


@pages.post("/several/drive")
def drive(key: str) -> Any:
    """Let one mapping move a property of all of them."""
    plain, project = body(), _document(key)
    command = several.drive_all(
        services().levels.under_the_hand,
        project,
        staged=staged(project.scene),
        parts=_ids(project.scene, plain),
        name=str(plain.get("property")),
        line=line_of(plain),
    )
    mapping = next(item.mapping.id for item in command.commands if isinstance(item, PutMapping))
    return _saved(key, plain, command, chosen={"mapping": mapping, "drive": 0, "cut": "no"})


@pages.post("/several/set")
def set_all(key: str) -> Any:
    """Set a value or limits of a property of all of them: 'command' is the edit without its parts."""
    plain = body()
    command = plain.get("command")
    if not isinstance(command, dict) or command.get("kind") not in ("set_values", "set_limits"):
        raise InvalidParameter("command", value="another one", allowed="set_values or set_limits")
    parts = _ids(_document(key).scene, plain)
    return _saved(key, plain, read_command({**command, "parts": parts}))


@pages.post("/several/anchor")
def anchor(key: str) -> Any:
    """Put the anchors of all of them at the same place of each."""
    plain, project = body(), _document(key)
    stage, parts = staged(project.scene), _ids(project.scene, plain)
    command, without = anchoring.anchored(stage, parts, word=str(plain.get("word")))
    note = f"{without} of {len(parts)} have no such place and stay as they are." if without else ""
    return _saved(key, plain, command, note=note)


@pages.post("/several/gather")
def gather(key: str) -> Any:
    """Put all of them together, so that they move as one."""
    plain, project = body(), _document(key)
    command = several.gather(staged(project.scene), _ids(project.scene, plain))
    return _saved(key, plain, command, chosen={"part": command.id, "parts": []})


@pages.post("/several/rename")
def rename(key: str) -> Any:
    """Give all of them one name, with numbers in their order."""
    plain, project = body(), _document(key)
    parts, line = _ids(project.scene, plain), line_of(plain)
    return _saved(key, plain, several.renamed(staged(project.scene), parts, name=str(plain.get("name")), line=line))


@pages.post("/several/name")
def name_selection(key: str) -> Any:
    """Remember which parts are chosen under a name; an empty name forgets it."""
    plain, project = body(), _document(key)
    parts, name = tuple(_ids(project.scene, plain)), str(plain.get("name") or "").strip()[:120]
    known = project.scene.selections
    same = next((one for one in known if one.parts == parts), None)
    if not name:
        if same is None:
            raise InvalidParameter("name", value="missing", allowed="a name for the selection")
        return _saved(key, plain, RemoveSelection(id=same.id))
    id_ = same.id if same is not None else fresh_id(name, among=known)
    return _saved(key, plain, PutSelection(selection=Selection(id=id_, name=name, parts=parts)))


@pages.get("/suggestions")
def suggestions(key: str) -> str:
    """Show three things that parts could do: what happens, why, and the edit."""
    project = _document(key)
    parts = [part.id for part in parts_of(project.scene, request.args.get("parts", "").split(","))]
    offers: list[tuple[str, str, dict[str, Any]]] = []
    waits = False
    try:
        if parts:
            stage = staged(project.scene)
            for words, reason, edit in first_cut.suggestions(
                services().levels, project, staged=stage, parts=parts, envelope=None
            ):
                offers.append((words, reason, edit.model_dump(mode="json")))
    except NotAnalyzedYet:
        waits = True
    return render_template("stage/suggestions.html", offers=offers, waits=waits)


@pages.get("/selections/<selection_id>")
def selection(key: str, selection_id: str) -> Any:
    """Give the parts of a selection that has a name."""
    scene = _document(key).scene
    one = by_id(scene.selections, selection_id)
    return jsonify(parts=list(one.parts) if one else [])


@pages.post("/mappings/<mapping_id>/order")
def order(key: str, mapping_id: str) -> Any:
    """Put the parts that a mapping moves in another order."""
    plain, project = body(), _document(key)
    mapping = project.mapping(mapping_id)
    command = several.reordered(project, mapping, staged=staged(project.scene), line=line_of(plain))
    return _saved(key, plain, command)

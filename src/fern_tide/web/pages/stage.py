"""The Stage: the scene, the tree of its parts, and every property of the selected one."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, jsonify, render_template, request

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.commands.registry import Together, read_command
from fern_tide.core.scene.drawing import draw, markup
from fern_tide.core.scene.scene import PART_KINDS, Scene
from fern_tide.core.scene.selection import MOST_CHOSEN
from fern_tide.store.revision import Revision
from fern_tide.web.context import body, render, services, staged, status, studio, whole
from fern_tide.web.pages.projects import PICTURE_POLICY
from fern_tide.web.views.poses_sheet import pose_picture, poses_sheet
from fern_tide.web.views.several import line_of, parts_of
from fern_tide.web.views.stage import StageRoomView, stage_view
from fern_tide.web.views.tree import Look, chosen_ids, chosen_part, rows_of
from fern_tide.workflows.tune import edits, make_part, reaches, sprays, ways
from fern_tide.workflows.tune.piece_sources import array_on_stage

pages = Blueprint("stage", __name__, url_prefix="/p/<key>/stage")
PREFIX = "stage-"
BESIDE = "beside-"


def drawing(key: str, scene: Scene, *, prefix: str = PREFIX, whole: bool = False) -> str:
    """Draw a 2D scene for the page; a 3D one is drawn there. A whole one has its pictures inside."""
    if scene.kind == "3d":
        return ""
    address = f"/p/{key}/stage/pictures/"
    picture = None if whole else lambda file: address + file.id
    return markup(draw(scene, media=staged(scene).media, prefix=prefix, picture=picture))


@pages.get("")
def room(key: str) -> str:
    """Show the room."""
    revision = studio().projects.current(key)
    return render("stage.html", _asked_for(revision), room="stage", stage=drawing(key, revision.document.scene))


@pages.get("/parts")
def parts(key: str) -> str:
    """Show the tree and the selected part anew."""
    return render("stage/parts.html", _asked_for(studio().projects.current(key)))


def _asked_for(revision: Revision) -> StageRoomView:
    asked = request.args
    return stage_view(
        revision,
        part_id=asked.get("part", ""),
        look=_look(),
        chosen=asked.get("property", ""),
        parts=_listed("parts"),
        line=line_of(asked.to_dict()),
    )


@pages.get("/tree")
def tree(key: str) -> str:
    """Show other rows of the tree."""
    asked, project = request.args, studio().projects.head(key)[1]
    parts, look = parts_of(project.scene, _listed("parts")), _look()
    part = chosen_part(project.scene, asked.get("part", ""))
    rows = rows_of(staged(project.scene), part, services().levels.graph(project).drivers, look=look)
    ids = chosen_ids(part, parts)
    return render_template("stage/tree.html", rows=rows, find=look.find, chosen_ids=ids)


def _listed(name: str) -> list[str]:
    return [word for word in request.args.get(name, "").split(",") if word]


def _look() -> Look:
    """Read how the tree is looked at."""
    asked = request.args
    return Look(
        opened=asked.get("open", "").split(","),
        find=asked.get("find", ""),
        at=asked.get("at", type=int),
        reveals=asked.get("reveal") == "yes",
        larger=asked.get("larger") == "yes",
    )


@pages.get("/drawing")
def drawn(key: str) -> Response:
    """Give the drawing anew, after the scene was changed; a second one on the page has ids of its own."""
    prefix = BESIDE if request.args.get("prefix") == BESIDE else PREFIX
    whole = request.args.get("whole") == "yes"
    drawn_now = drawing(key, studio().projects.head(key)[1].scene, prefix=prefix, whole=whole)
    return Response(drawn_now, mimetype="image/svg+xml")


@pages.post("/parts")
def add(key: str) -> Any:
    """Make a part of a kind, in the middle of what is looked at."""
    plain = body()
    kind = str(plain.get("kind"))
    project = studio().projects.at(key, whole(plain, "base")).document
    kind, _, layout = kind.partition(":")
    if kind in PART_KINDS and PART_KINDS[kind].pieces:
        return _array(key, plain, *make_part.new_array(project, layout=layout or "line"))
    command = make_part.new_part(project.scene, kind)
    saved = edits.edit(studio(), key, command, base=whole(plain, "base"))
    return jsonify({**status(saved), "chosen": {"part": command.part.id}})


@pages.post("/arrays")
def array_of(key: str) -> Any:
    """Make an array of parts."""
    plain = body()
    names = plain.get("parts")
    if not isinstance(names, list) or not 1 <= len(names) <= MOST_CHOSEN:
        raise InvalidParameter("parts", value="none", allowed=f"1 to {MOST_CHOSEN} parts")
    project = studio().projects.at(key, whole(plain, "base")).document
    return _array(key, plain, *array_on_stage(staged(project.scene), project, [str(name) for name in names]))


def _array(key: str, plain: dict[str, Any], command: Together, array_id: str) -> Any:
    saved = edits.edit(studio(), key, command, base=whole(plain, "base"))
    return jsonify({**status(saved), "chosen": {"part": array_id, "parts": []}})


@pages.post("/parts/<part_id>/leaves")
def leaves(key: str, part_id: str) -> Any:
    """Let the drops of a spray leave where a part is."""
    plain = body()
    scene = studio().projects.at(key, whole(plain, "base")).document.scene
    where = plain.get("where")
    command = sprays.leaves_where(scene, part_id, where if isinstance(where, str) and where else None)
    return jsonify(status(edits.edit(studio(), key, command, base=whole(plain, "base"))))


@pages.post("/parts/<part_id>/copy")
def copy(key: str, part_id: str) -> Any:
    """Make another one of a part; of a picture, one that shows only its middle."""
    plain = body()
    scene = studio().projects.at(key, whole(plain, "base")).document.scene
    command = make_part.copied(scene, part_id, middle=bool(plain.get("middle")))
    saved = edits.edit(studio(), key, command, base=whole(plain, "base"))
    return jsonify({**status(saved), "chosen": {"part": command.part.id}})


@pages.post("/parts/<part_id>/way")
def way(key: str, part_id: str) -> Any:
    """Make a way that begins where a part stands, and let the part move along it."""
    plain = body()
    scene = studio().projects.at(key, whole(plain, "base")).document.scene
    command, _ = ways.new_way_of(scene, part_id)
    return jsonify(status(edits.edit(studio(), key, command, base=whole(plain, "base"))))


@pages.post("/parts/<part_id>/go-by")
def go_by(key: str, part_id: str) -> Any:
    """Let what a mapping moves go by a reach, or no more."""
    plain = body()
    project = studio().projects.at(key, whole(plain, "base")).document
    command = reaches.go_by(staged(project.scene), project, reach_id=part_id, mapping_id=str(plain.get("mapping")))
    return jsonify(status(edits.edit(studio(), key, command, base=whole(plain, "base"))))


@pages.post("/parts/<part_id>/outline")
def way_from(key: str, part_id: str) -> Any:
    """Make a way of the outline of an element of a drawing."""
    plain = body()
    scene = studio().projects.at(key, whole(plain, "base")).document.scene
    command, way_id = ways.way_from(scene, staged(scene).media, part_id)
    saved = edits.edit(studio(), key, command, base=whole(plain, "base"))
    return jsonify({**status(saved), "chosen": {"part": way_id}})


@pages.post("/poses")
def store_pose(key: str) -> Any:
    """Store how parts stand as the first pose of a row."""
    plain = body()
    command = read_command({"kind": "store_pose", "parts": plain.get("parts")})
    before = {part.id for part in studio().projects.at(key, whole(plain, "base")).document.scene.parts}
    saved = edits.edit(studio(), key, command, base=whole(plain, "base"))
    row = next(part.id for part in saved.document.scene.parts if part.id not in before)
    return jsonify({**status(saved), "chosen": {"part": row, "parts": []}})


@pages.get("/poses/<part_id>/<int:place>.svg")
def pose_shown(key: str, part_id: str, place: int) -> Response:
    """Draw a pose."""
    scene = studio().projects.head(key)[1].scene
    row = scene.part(part_id)
    if poses_sheet(scene, row) is None:
        raise InvalidParameter("poses", value=row.name, allowed="a part that has poses")
    answer = Response(pose_picture(scene, row, place), mimetype="image/svg+xml")
    answer.headers |= {"Content-Security-Policy": PICTURE_POLICY, "Cache-Control": "no-cache"}
    return answer


@pages.post("/parts/<part_id>/draw")
def draw_by_sound(key: str, part_id: str) -> Any:
    """Let a reading of the first driving track draw a sound graphic."""
    plain = body()
    project = studio().projects.at(key, whole(plain, "base")).document
    command = make_part.drawn_by_sound(services().levels, project, part_id, reading=str(plain.get("reading")))
    return jsonify(status(edits.edit(studio(), key, command, base=whole(plain, "base"))))


@pages.get("/node/<int:index>")
def part_of_node(key: str, index: int) -> Any:
    """Say which part a node of the stage's glTF file is."""
    built = staged(studio().projects.head(key)[1].scene).built
    part = next((name for name, place in built.places.items() if place.get("node") == index), None)
    return jsonify(part=part)

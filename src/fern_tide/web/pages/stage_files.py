"""Files of the stage, in and out: scenes that are brought in or replaced, pictures, and the 3D scene as a file."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, jsonify, request

from fern_tide.core.base.errors import FernTideError, UnknownName
from fern_tide.core.scene.images import check_image
from fern_tide.core.scene.outlines import elements_of, outlines_key, outlines_of
from fern_tide.store.files import TooLarge
from fern_tide.web.context import staged, status, studio
from fern_tide.web.heads import head
from fern_tide.web.packing import Pack
from fern_tide.web.views.arrays import arrays_of, field_head, source_nodes
from fern_tide.workflows.bring_in import scenes
from fern_tide.workflows.bring_in.scenes import BroughtIn

pages = Blueprint("stage_files", __name__, url_prefix="/p/<key>/stage")
MOST_FILES = 200
_FORM_BYTES = 64 << 10  # what a form adds to the files in it


def dropped() -> dict[str, bytes]:
    """Read the files of a form, by their names without folders.

    Raises:
        TooLarge: together they are larger than is taken.
    """
    most = studio().settings.most_scene_bytes
    if (request.content_length or 0) > most + _FORM_BYTES:
        raise TooLarge(f"The files are larger than {most >> 20} MB.", remedy="Bring in smaller ones.")
    request.max_form_memory_size = most + _FORM_BYTES
    files = request.files.getlist("file")
    if len(files) > MOST_FILES:
        raise FernTideError(f"{len(files)} files are too many at once.", remedy="Export the scene as one GLB.")
    return {(item.filename or "file").replace("\\", "/").rsplit("/", 1)[-1]: item.read() for item in files}


def _answer(outcome: BroughtIn) -> Any:
    return jsonify(
        {
            **status(outcome.revision),
            "notes": outcome.notes,
            "lost": outcome.lost,
            "fresh": outcome.fresh,
            "chosen": {"part": outcome.part} if outcome.part else {},
        }
    )


@pages.post("/files")
def bring_in(key: str) -> Any:
    """Add what was dropped to the stage, or put it in the stage's place."""
    return _answer(scenes.bring_in(studio(), key, dropped(), replace=request.args.get("how") == "replace"))


@pages.post("/files/<file_id>/replace")
def replace(key: str, file_id: str) -> Any:
    """Put another version of a file under the parts that came with it."""
    return _answer(scenes.replace_file(studio(), key, file_id, dropped()))


@pages.post("/new/<kind>")
def new(key: str, kind: str) -> Any:
    """Start with an empty stage."""
    return _answer(scenes.new_stage(studio(), key, "3d" if kind == "3d" else "2d"))


@pages.get("/scene.glb")
def scene_glb(key: str) -> Response:
    """Give the 3D scene as it stands, without motion, for the stage to show."""
    scene = studio().projects.head(key)[1].scene
    if scene.kind != "3d":
        raise UnknownName("This stage is 2D.", remedy="Reload the page.")
    return Response(staged(scene).glb, mimetype="model/gltf-binary", headers={"Cache-Control": "no-cache"})


@pages.get("/arrays")
def arrays(key: str) -> Response:
    """Give where the pieces of the scene's arrays stand, and all else that the page needs to know of them."""
    project, pack = studio().projects.head(key)[1], Pack()
    stage = staged(project.scene)
    heads = {part.id: {**field_head(pack, project, part), **source_nodes(stage, part)} for part in arrays_of(project)}
    return pack.response({"fields": heads, "parts": {name: head(stage, project.scene.part(name)) for name in heads}})


@pages.get("/outlines/<part_id>")
def outlines(key: str, part_id: str) -> Response:
    """Give the outlines that a 2D part's shapers move, with what each shape adds to them."""
    scene = studio().projects.head(key)[1].scene
    stage, part, pack = staged(scene), scene.part(part_id), Pack()
    shaped = outlines_of(stage.scene, stage.media, part)
    heads = [
        {
            "element": "--".join(element),
            "strokes": [[stroke.n_curves, stroke.closed] for stroke in one.strokes],
            "points": pack.add(one.points.ravel()),
            "shapes": pack.add(one.shapes.reshape(len(one.shapes), -1)),
        }
        for one, element in zip(shaped, elements_of(scene, part, shaped), strict=True)
    ]
    return pack.response({"key": outlines_key(stage.scene, stage.media, part), "outlines": heads})


@pages.get("/pictures/<file_id>")
def picture(key: str, file_id: str) -> Response:
    """Give a picture that was brought in."""
    scene = studio().projects.head(key)[1].scene
    file = scene.file(file_id)
    content = staged(scene).media.images.get(file.media)
    if content is None:
        raise UnknownName(f"{file.name} is no picture.", remedy="Reload the page.")
    headers = {"Cache-Control": "private, max-age=86400", "Content-Security-Policy": "default-src 'none'; sandbox"}
    return Response(content, mimetype=check_image(content).media_type, headers=headers)

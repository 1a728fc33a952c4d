"""The projects page: the list, new projects, the demo, and project files."""

from __future__ import annotations

import tempfile
from dataclasses import dataclass
from functools import lru_cache
from threading import Lock
from typing import Any

from flask import Blueprint, Response, jsonify, render_template, request, send_file

from fern_tide import __version__
from fern_tide.core.scene.drawing import markup
from fern_tide.core.scene.gltf.sketch import sketch
from fern_tide.demo.scene import glasshouse
from fern_tide.web.context import staged, studio, uploaded
from fern_tide.web.pages.stage_files import dropped
from fern_tide.workflows.bake.sweep import empty, room_of
from fern_tide.workflows.bring_in import scenes, sounds
from fern_tide.workflows.bring_in.demo import open_demo
from fern_tide.workflows.derive.stages import Staged
from fern_tide.workflows.hand_off import writing

pages = Blueprint("projects", __name__)
_MOST_SKETCHES = 64  # each some hundred kB at most
_sketches: dict[str, str] = {}
_sketching = Lock()
PICTURE_POLICY = "default-src 'none'; sandbox"


@dataclass(frozen=True)
class Card:
    """A project in the list: its name, how long it is, at which rate, and how many mappings it has."""

    name: str
    seconds: float
    rate: str
    n_mappings: int


@lru_cache(maxsize=4096)
def _card(key: str, head: int) -> Card:
    """Give the card of a revision, which never changes."""
    document = studio().projects.document_at(key, head)
    seconds = float(document.rate.duration_s(document.n_frames))
    return Card(document.name, seconds, document.rate.label, len(document.mappings))


@pages.get("/")
def index() -> str:
    """List the projects."""
    rows = [(key, head, changed, _card(key, head)) for key, head, changed in studio().projects.heads()]
    return render_template("projects.html", projects=rows, version=__version__)


@pages.get("/p/<key>/room")
def room(key: str) -> str:
    """Show what a project takes on the disk."""
    return render_template("taken.html", key=key, room=room_of(studio(), key, studio().projects.head(key)[1]))


@pages.post("/p/<key>/room/empty")
def make_room(key: str) -> str:
    """Remove what was made of a project's files; nothing of the project itself goes."""
    empty(studio(), key)
    return room(key)


@pages.post("/projects")
def start() -> Any:
    """Make a project of a dropped sound file, on the demo scene."""
    name, song = request.args.get("name", ""), request.args.get("song", "")
    revision = sounds.start_project(studio(), uploaded(), file_name=name, scene=glasshouse(), song=song)
    return jsonify(url=f"/p/{revision.key}/bench"), 201


@pages.post("/projects/demo")
def demo() -> Any:
    """Open the demo as a new project."""
    revision = open_demo(studio())
    return jsonify(url=f"/p/{revision.key}/bench"), 201


@pages.post("/projects/scene")
def start_with_scene() -> Any:
    """Make a project of a dropped scene, with no sound yet, and say what of it was left out."""
    outcome = scenes.start_with_scene(studio(), dropped())
    return jsonify(url=f"/p/{outcome.revision.key}/stage", notes=outcome.notes), 201


@pages.post("/projects/import")
def take_in() -> Any:
    """Open a project file as a new project."""
    with tempfile.TemporaryFile() as stream:
        for chunk in uploaded():
            stream.write(chunk)
        stream.seek(0)
        revision = writing.import_project(studio(), stream)
    return jsonify(url=f"/p/{revision.key}/bench"), 201


@pages.get("/p/<key>/project.ferntide")
def export(key: str) -> Response:
    """Give the project and its media as one file."""
    project = studio().projects.current(key).document
    stream = writing.export_project(studio(), project)
    name = f"{writing.file_stem(project.name)}.ferntide"
    return send_file(stream, mimetype="application/zip", as_attachment=True, download_name=name)


@pages.get("/p/<key>/picture-<int:revision>.svg")
def picture(key: str, revision: int) -> Response:
    """Draw the scene of a revision at rest: a browser that has its picture never asks again, since it never changes."""
    stage = staged(studio().projects.document_at(key, revision).scene)
    answer = Response(_sketch(stage) if stage.scene.kind == "3d" else markup(stage.drawn), mimetype="image/svg+xml")
    answer.headers["Content-Security-Policy"] = PICTURE_POLICY
    answer.cache_control.max_age, answer.cache_control.immutable = 365 * 24 * 3600, True
    answer.cache_control.private = True
    return answer


def _sketch(stage: Staged) -> str:
    """Give the small picture of a 3D scene, drawn once for all projects that look so."""
    looks = stage.looks + stage.pieces_look
    with _sketching:  # a page asks for many at once that look so
        known = _sketches.get(looks)
        if known is None:
            known = _sketches[looks] = sketch(stage.still)
            for old in list(_sketches)[:-_MOST_SKETCHES]:
                _sketches.pop(old, None)
    return known


@pages.post("/p/<key>/delete")
def delete(key: str) -> Any:
    """Take a project off the list; it can be put back."""
    return jsonify(name=studio().projects.delete(key))


@pages.post("/p/<key>/put-back")
def put_back(key: str) -> Any:
    """Put a deleted project back on the list."""
    return jsonify(name=studio().projects.delete(key, deleted=False))

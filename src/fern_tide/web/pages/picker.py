"""The picker of properties: its lines, and the picture of a part."""

from __future__ import annotations

import contextlib

from flask import Blueprint, Response, jsonify, render_template, request

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.target import Target
from fern_tide.web.context import staged, studio
from fern_tide.web.pages.projects import PICTURE_POLICY
from fern_tide.workflows.tune import picking

pages = Blueprint("picker", __name__, url_prefix="/p/<key>")


@pages.get("/picker")
def lines(key: str) -> str:
    """Show what is found by what is typed, or of a part that is open."""
    project = studio().projects.head(key)[1]
    text, part_id = request.args.get("q", "")[:200], request.args.get("part", "")
    recent = []
    for word in request.args.get("recent", "").split(",")[:8]:
        with contextlib.suppress(InvalidParameter):
            recent.append(Target.parse(word))
    rows = picking.rows(project, text, recent=recent, part_id=part_id)
    part = project.scene.part(part_id) if part_id else None
    return render_template(
        "picker/rows.html", key=key, rows=rows, text=text, part=part, n_parts=len(project.scene.parts)
    )


@pages.get("/parts/<part_id>/name")
def name(key: str, part_id: str) -> Response:
    """Give what a part is called."""
    return jsonify(name=studio().projects.head(key)[1].scene.part(part_id).name)


@pages.get("/parts/<part_id>/picture.svg")
def picture(key: str, part_id: str) -> Response:
    """Draw a part as it stands in its scene at rest, with a little of what lies about it."""
    content = picking.picture_of(staged(studio().projects.head(key)[1].scene), part_id)
    headers = {"Content-Security-Policy": PICTURE_POLICY, "Cache-Control": "no-cache"}
    return Response(content, mimetype="image/svg+xml", headers=headers)

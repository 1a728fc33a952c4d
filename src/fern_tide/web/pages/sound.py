"""The Sound room: tracks and envelopes."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, jsonify, render_template, request

from fern_tide.core.envelope.envelope import CLEAN_UPS, READINGS
from fern_tide.store.projects import Revision
from fern_tide.web.context import standing, studio, uploaded
from fern_tide.workflows import bring_in_sound

pages = Blueprint("sound", __name__, url_prefix="/p/<key>")


@pages.get("/sound")
def room(key: str) -> str:
    """Show the room."""
    return render_template("sound.html", room="sound", **_shown(studio().projects.current(key)))


@pages.get("/sound/parts")
def parts(key: str) -> str:
    """Show tracks and envelopes anew."""
    return render_template("sound/parts.html", **_shown(studio().projects.current(key)))


@pages.post("/tracks")
def add(key: str) -> Any:
    """Take a sound file in as a track."""
    name = request.args.get("name", "")
    revision = bring_in_sound.add_track(studio(), key, uploaded(), file_name=name)
    return jsonify({**standing(revision), "track": revision.document.tracks[-1].id}), 201


def _shown(revision: Revision) -> dict[str, Any]:
    project = revision.document
    chosen = next((e for e in project.envelopes if e.id == request.args.get("envelope")), None)
    envelope = chosen or next(iter(project.envelopes), None)
    wanted = request.args.get("track") or (envelope.track if envelope else None)
    track = next((t for t in project.tracks if t.id == wanted), next(iter(project.tracks), None))
    return {
        "key": revision.key,
        "revision": revision,
        "project": project,
        "standing": standing(revision),
        "envelope": envelope,
        "track": track,
        "drives": [m for m in project.mappings if envelope and m.envelope == envelope.id],
        "clean_ups": CLEAN_UPS,
        "readings": READINGS,
    }

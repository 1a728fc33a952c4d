"""The Sound room: tracks and envelopes."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, jsonify, render_template, request

from fern_tide.core.document import Project
from fern_tide.core.envelope.bands import NAMED_BANDS
from fern_tide.core.envelope.beats import Beats
from fern_tide.core.envelope.envelope import READINGS
from fern_tide.core.envelope.readings.band import BandParams
from fern_tide.store.projects import Revision
from fern_tide.web.context import services, standing, studio, uploaded
from fern_tide.workflows.bring_in import sounds
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.derive.analysis import NotAnalyzedYet

pages = Blueprint("sound", __name__, url_prefix="/p/<key>")


@pages.get("/sound")
def room(key: str) -> str:
    """Show the room."""
    return render_template("sound.html", room="sound", **_shown_soon_drawn_on(key))


@pages.get("/sound/parts")
def parts(key: str) -> str:
    """Show tracks and envelopes anew."""
    return render_template("sound/parts.html", **_shown_soon_drawn_on(key))


@pages.post("/tracks")
def add(key: str) -> Any:
    """Take a sound file in as a track."""
    name = request.args.get("name", "")
    revision = sounds.add_track(studio(), key, uploaded(), file_name=name)
    return jsonify({**standing(revision), "chosen": {"track": revision.document.tracks[-1].id}}), 201


def _shown_soon_drawn_on(key: str) -> dict[str, Any]:
    """Give what is shown, and have read what bands on the shown track may need."""
    shown = _shown(studio().projects.current(key))
    if shown["track"] is not None:
        analysis.read_ahead(studio(), shown["project"], shown["track"])
    return shown


def _beats(project: Project) -> Beats | None:
    """Give the beats, or None while they are being found."""
    try:
        return services().levels.beats(project)
    except NotAnalyzedYet:
        return None


def _bands_read(project: Project) -> list[dict[str, Any]]:
    """List the envelopes that are boxes on a spectrogram."""
    return [
        {"id": item.id, "name": item.name, "track": item.track, "low": params.low_hz, "high": params.high_hz}
        for item in project.envelopes
        if isinstance(params := item.reading.params, BandParams)
    ]


def _shown(revision: Revision) -> dict[str, Any]:
    project = revision.document
    envelope, track = sounds.shown_first(project, request.args.get("envelope"), request.args.get("track"))
    return {
        "key": revision.key,
        "revision": revision,
        "project": project,
        "standing": standing(revision),
        "envelope": envelope,
        "track": track,
        "bands": NAMED_BANDS,
        "bands_read": _bands_read(project),
        "beats": _beats(project),
        "offset_frames": float(track.offset * project.rate.fps) if track else 0.0,
        "users": {item.id: project.users(item.id) for item in project.tracks},
        "others": [item for item in project.envelopes if envelope is None or item.id != envelope.id],
        "drives": [m for m in project.mappings if envelope and m.envelope == envelope.id],
        "readings": READINGS,
    }

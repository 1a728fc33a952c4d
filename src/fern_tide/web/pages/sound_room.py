"""The Sound room: tracks and envelopes."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, jsonify, request

from fern_tide.web.asked import asked_number
from fern_tide.web.context import joined, render, status, studio, uploaded
from fern_tide.web.views.sound_room import SoundRoomView, sound_room_view
from fern_tide.workflows.bring_in import sounds
from fern_tide.workflows.derive import analysis

pages = Blueprint("sound", __name__, url_prefix="/p/<key>")


@pages.get("/sound")
def room(key: str) -> str:
    """Show the room."""
    return render("sound.html", _asked_for(key), room="sound")


@pages.get("/sound/parts")
def parts(key: str) -> str:
    """Show tracks and envelopes anew."""
    return render("sound/parts.html", _asked_for(key))


@pages.post("/tracks")
def add(key: str) -> Any:
    """Take a sound file in as a track, which begins at 0 or at so many seconds of the project."""
    name = request.args.get("name", "")
    at_s = asked_number(request.args, "at_s", 0.0)
    revision = sounds.add_track(studio(), key, uploaded(), file_name=name, at_s=at_s, joined=joined())
    document = revision.document  # the new track is last, and so is the envelope that reads it
    chosen = {"track": document.tracks[-1].id, "envelope": document.envelopes[-1].id}
    return jsonify({**status(revision), "chosen": chosen}), 201


def _asked_for(key: str) -> SoundRoomView:
    """Give what is shown, and have read what bands on the shown track may need."""
    asked = request.args
    view = sound_room_view(
        studio().projects.current(key), envelope_id=asked.get("envelope"), track_id=asked.get("track")
    )
    if view.track is not None:
        analysis.read_ahead(studio(), view.revision.document, view.track)
    return view

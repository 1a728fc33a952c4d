"""Live: the page sends what it hears, and gets back how the stage moves."""

from __future__ import annotations

from typing import Any

import numpy as np
from flask import Blueprint, Response, jsonify, request

from fern_tide.core.bake.pieces import is_of_pieces
from fern_tide.core.live.run import LiveRun
from fern_tide.web.asked import asked_number, number
from fern_tide.web.context import body, services, small_upload, staged, status, studio, whole
from fern_tide.web.heads import head
from fern_tide.web.lines import open_line
from fern_tide.web.packing import Pack, answer
from fern_tide.web.views.arrays import property_head, still_motion
from fern_tide.workflows.bring_in import live
from fern_tide.workflows.bring_in.live import LiveSession

pages = Blueprint("live", __name__, url_prefix="/p/<key>/live")
_MOST_BYTES = 16 << 20
_REACH = 1.0  # how far beyond rest and full a table of a response goes at first


@pages.post("")
def begin(key: str) -> Any:
    """Begin to listen: say what hears, and how late that is."""
    plain = body()
    revision = studio().projects.current(key)
    session = live.new_session(
        services().levels,
        revision,
        rate_hz=round(number(plain, "rate_hz")),
        channels=whole(plain, "channels"),
        track=str(plain["track"]) if plain.get("track") else None,
    )
    name = services().live.open(session)
    return jsonify({"id": name, "words": _words(session.run), "revision": session.revision}), 201


@pages.post("/<name>/samples")
def hear(key: str, name: str) -> Response:
    """Take samples, and give how the stage stands after them; 'revision' is the one that the page shows."""
    wanted = request.args.get("revision", type=int)
    content = small_upload(_MOST_BYTES) if request.content_length else b""
    return answer(_heard(key, name, content, shown=wanted))


@pages.get("/<name>/line", websocket=True)
def hear_on_a_line(key: str, name: str) -> Response:
    """Take samples on a line; before them stands the revision that the page shows, four bytes, little-endian."""
    services().live.of(key, name)
    return open_line(
        lambda message: _heard(key, name, message[4:], shown=int.from_bytes(message[:4], "little")),
        most_bytes=_MOST_BYTES,
    )


def _heard(key: str, name: str, content: bytes, *, shown: int | None) -> bytes:
    """Let a session hear samples, and pack how the stage stands then, as in the revision that is shown."""
    session = services().live.of(key, name)
    wanted = session.revision if shown is None else shown
    with session.lock:
        samples = live.samples_in(content, session=session)
        edited = studio().projects.at(key, wanted) if wanted != session.revision else None
        whole_frames = live.take(services().levels, session, samples, edited=edited)
        pack = Pack()
        about: dict[str, Any] = {"frame": session.run.frame, "loudest": float(np.abs(samples).max(initial=0.0))}
        if edited is not None:
            about["words"] = _words(session.run)
        if whole_frames:
            about |= _standing(pack, session)
        return pack.content(about)


def _words(run: LiveRun) -> dict[str, Any]:
    lags = [{"name": lag.name, "ms": round(lag.lag_ms), "words": lag.words} for lag in run.lags()]
    return {"lags": lags, "late": run.late_words, "moves": len(run.stacks)}


def _standing(pack: Pack, session: LiveSession) -> dict[str, Any]:
    """Pack the curves of the last frames, and what arrays follow; with how all of it shows where the page is new."""
    run = session.run
    scene, curves = run.project.scene, run.curves()
    about: dict[str, Any] = {"frames": run.back_frames + 1, "curves": {}, "pieces": {}}
    for stack in run.stacks:
        about["curves"][str(stack.target)] = {"values": pack.add(curves[stack.target]), "kind": stack.item.kind}
        if is_of_pieces(stack.part, stack.item.id):
            lifts = [run.lift(mapping.id) for mapping, _ in stack.drivers]
            about["pieces"].setdefault(stack.part.id, {})[stack.item.id] = _of_pieces(pack, session, stack, lifts)
    for part, base in run.flown.items():
        about["pieces"].setdefault(part, {})["thrown"] = {"frames": run.back_frames + 1, "base": base}
    if not session.shown:
        session.shown = True
        stage, parts = staged(scene), dict.fromkeys(target.part for target in curves)
        about["parts"] = {part: head(stage, scene.part(part)) for part in parts}
    return about


def _of_pieces(pack: Pack, session: LiveSession, stack: Any, lifts: list[Any]) -> dict[str, Any]:
    """Pack what moves a property of pieces: rows alone, where the page knows its tables as far as the lifts go."""
    name = str(stack.target)
    beyond = max((max(float(lift.max()) - 1.0, -float(lift.min())) for lift in lifts), default=0.0)
    if beyond <= session.reaches.get(name, -1.0):
        return {"rows": [pack.add(np.atleast_2d(lift)) for lift in lifts]}
    session.reaches[name] = reach = max(_REACH, 2.0 * beyond)
    motion = still_motion(session.run.project, stack.part)
    return {"whole": property_head(pack, stack, lifts, motion, reach=reach)}


@pages.post("/<name>/keep")
def keep(key: str, name: str) -> Any:
    """Keep what came last as a track."""
    session = services().live.of(key, name)
    revision, moves = live.keep(studio(), session, at_s=asked_number(request.args, "at_s", 0.0))
    named = {"named": revision.document.tracks[-1].name, "moves": moves.model_dump(mode="json") if moves else None}
    return jsonify({**status(revision), **named}), 201


@pages.post("/<name>/close")
def close(key: str, name: str) -> Any:
    """Listen no more."""
    services().live.close(key, name)
    return jsonify({}), 200

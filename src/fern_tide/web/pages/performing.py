"""What is performed while the sound plays: takes come in, they and their hits are edited, and latency is measured."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from flask import Blueprint, Response, jsonify, request

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.target import Target
from fern_tide.core.commands.command import Command
from fern_tide.core.document import Project
from fern_tide.core.envelope.takes import MOST_BYTES
from fern_tide.core.formats.hits_midi import write_hits
from fern_tide.web.asked import asked_number, is_number, number, one_of
from fern_tide.web.context import body, services, small_upload, status, studio, whole
from fern_tide.workflows.bring_in.takes import Led, add_take
from fern_tide.workflows.tune import edits
from fern_tide.workflows.tune.calibrating import calibration_sound, measured_latency
from fern_tide.workflows.tune.hits_by_hand import HandOnHit, HitHand, hand_on_hit, hand_on_track_hit
from fern_tide.workflows.tune.takes_by_hand import HandOnTake, hand_on_take

pages = Blueprint("performing", __name__, url_prefix="/p/<key>")
_MOST_TAPS = 1000


@pages.post("/takes")
def add(key: str) -> Any:
    """Take a take in: into the envelopes of 'into', or as new ones of what 'given' names, which move each 'drive'."""
    content = small_upload(MOST_BYTES)
    into, given = request.args.getlist("into"), request.args.getlist("given")
    drives, *ends = (request.args.getlist(name) for name in ("drive", "rest", "full"))
    if any(len(end) != len(drives) for end in ends):
        raise InvalidParameter("rest and full", value="missing", allowed="one of each for every property")
    led = [
        Led(Target.parse(drive), asked_number({"rest": rest}, "rest"), asked_number({"full": full}, "full"))
        for drive, rest, full in zip(drives, *ends, strict=True)
    ]
    revision, envelopes = add_take(studio(), key, content, into=into, given=given, led=led)
    first = revision.document.envelope(envelopes[0])
    stored = {"envelopes": envelopes, "named": first.name, "take": len(first.reading.params.model_dump()["takes"])}
    return jsonify({**status(revision), "chosen": {"envelope": first.id}, **stored}), 201


@pages.post("/envelopes/<envelope_id>/takes")
def take(key: str, envelope_id: str) -> Any:
    """Choose a take of an envelope for a stretch, take one away, or name it."""
    plain, project = _asked(key)
    stretch = (number(plain, "begin_s"), number(plain, "end_s")) if "begin_s" in plain else None
    command = hand_on_take(
        project,
        envelope_id,
        how=one_of(HandOnTake, plain, "how"),
        place=whole(plain, "place"),
        stretch_s=stretch,
        name=str(plain.get("name", "")),
    )
    return _stored(key, command, plain)


@pages.post("/envelopes/<envelope_id>/hits")
def hit(key: str, envelope_id: str) -> Any:
    """Move, weigh, take away or add a hit of an envelope, or forget all that was edited."""
    plain, project = _asked(key)
    return _stored(key, hand_on_hit(services().levels, project, envelope_id=envelope_id, hand=_hand(plain)), plain)


@pages.post("/tracks/<track_id>/hits")
def track_hit(key: str, track_id: str) -> Any:
    """Move, weigh, take away or add a hit of a track, or forget all that was edited."""
    plain, project = _asked(key)
    return _stored(key, hand_on_track_hit(services().levels, project, track_id=track_id, hand=_hand(plain)), plain)


def _asked(key: str) -> tuple[dict[str, Any], Project]:
    """Give what is asked for, and the document as the hand sees it."""
    plain = body()
    return plain, studio().projects.at(key, whole(plain, "base")).document


def _hand(plain: dict[str, Any]) -> HitHand:
    return HitHand(
        one_of(HandOnHit, plain, "how"),
        hit_s=number(plain, "hit_s", 0.0),
        time_s=number(plain, "time_s", 0.0),
        strength=number(plain, "strength", 1.0),
    )


@pages.get("/hits.mid")
def hits_file(key: str) -> Response:
    """Give the hits of an envelope, or of a track, and the project's beats as a MIDI file."""
    project, levels = studio().projects.head(key)[1], services().levels
    if envelope_id := request.args.get("envelope"):
        envelope = project.envelope(envelope_id)
        given = levels.hits(project, envelope)
        if given is None:
            raise InvalidParameter("envelope", value=envelope.name, allowed="one of hits or of taps")
        name, times_s, strengths = envelope.name, given.times_s, given.strengths
    else:
        track = project.track(request.args.get("track", ""))
        hits, _ = levels.rhythm(project, track)
        name, times_s, strengths = track.name, hits.times_s + float(track.offset), hits.strengths
    content = write_hits(times_s, strengths, beats=levels.beats(project), name=name)
    headers = {"Content-Disposition": "attachment; filename=hits.mid", "Cache-Control": "no-store"}
    return Response(content, mimetype="audio/midi", headers=headers)


def _stored(key: str, command: Command, plain: dict[str, Any]) -> Any:
    return jsonify(status(edits.edit(studio(), key, command, base=whole(plain, "base"))))


@pages.get("/calibration.wav")
def clicks(key: str) -> Response:
    """Give the sound that is tapped to, so that the latency can be measured."""
    return Response(calibration_sound(), mimetype="audio/wav", headers={"Cache-Control": "max-age=86400"})


@pages.post("/calibration")
def calibration(key: str) -> Any:
    """Measure the latency of taps to the clicks."""
    taps = body().get("taps", [])
    if not isinstance(taps, list) or len(taps) > _MOST_TAPS or not all(map(is_number, taps)):
        raise InvalidParameter("taps", value=str(taps)[:40], allowed=f"at most {_MOST_TAPS} times in seconds")
    return jsonify(asdict(measured_latency(taps)))

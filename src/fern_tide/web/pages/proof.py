"""Proofs: frames that the page draws are stored, and made into a video with progress and cancel."""

from __future__ import annotations

import struct
from typing import Any

from flask import Blueprint, Response, jsonify, render_template, request, send_file

from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.store.job_rows import DONE
from fern_tide.web.context import body, services, staged, studio
from fern_tide.web.pages.jobs import job_words
from fern_tide.workflows.hand_off import proof, proof_order, proof_parts, writing
from fern_tide.workflows.hand_off.proof_sound import begin_sound
from fern_tide.workflows.hand_off.video import KINDS

pages = Blueprint("proof", __name__, url_prefix="/p/<key>/proof")
MOST_BYTES = 64 << 20


class Changed(FernTideError):
    """The project is not what its proof was begun for."""


def _order(key: str, asked: Any) -> proof_order.ProofOrder:
    """Give what is asked for, of the project as it is now."""
    project = studio().projects.current(key).document
    kind = str(asked.get("kind", "mp4"))
    if kind != proof_order.FLASHING and kind not in KINDS:
        raise InvalidParameter("kind", value=kind, allowed=", ".join([*KINDS, proof_order.FLASHING]))
    default = proof_order.MEASURED if kind == proof_order.FLASHING else (960, 540)
    width, height = (_whole(asked, name, own) for name, own in zip(("width", "height"), default, strict=True))
    proof_order.check_size(width, height)
    if not project.n_frames:
        raise FernTideError("The project has no frames.", remedy="Bring in a sound, or set its length.")
    strip = str(asked.get("strip", "")).lower() in {"true", "on", "1"}
    pictures = proof_order.pictures_key(services().levels, project, staged(project.scene))
    rate = FrameRate.parse(str(asked["rate"])) if asked.get("rate") else None
    size = {"width": width, "height": height}
    return proof_order.ProofOrder(project=project, pictures=pictures, kind=kind, strip=strip, rate=rate, **size)


def _whole(asked: Any, name: str, otherwise: int) -> int:
    value = asked.get(name, otherwise)
    if not str(value).isdecimal():
        raise InvalidParameter(name, value=value, allowed="a whole number of pixels")
    return int(value)


@pages.post("")
def begin(key: str) -> Any:
    """Say what is to be drawn, and how much of it is there already."""
    order = _order(key, body())
    scene = order.project.scene
    begin_sound(studio(), order)
    return jsonify(
        id=order.frames_key,
        kind=order.kind,
        width=order.width,
        height=order.height,
        strip=order.strip,
        rate=str(order.rate or ""),
        clear=order.clear,
        frames=order.project.n_frames,
        ahead=order.ahead,
        drawn=proof.n_drawn(studio(), order),
        background=scene.background,
        name=order.project.name,
    )


def _same(key: str, id: str) -> proof_order.ProofOrder:
    """Give the order that a page draws.

    Raises:
        Changed: the project has changed since, so that its pictures are others.
    """
    order = _order(key, request.args)
    if order.frames_key != id:
        raise Changed("The project was changed while its proof was drawn.", remedy="Make the proof again.")
    return order


@pages.post("/<id>/frames")
def take(key: str, id: str) -> Any:
    """Take drawn frames, one after the other, each after its length as four bytes."""
    if (request.content_length or 0) > MOST_BYTES:
        raise InvalidParameter("frames", value=f"{request.content_length} bytes", allowed="fewer at once")
    order, content, at = _same(key, id), request.get_data(), 0
    first = frame = _whole(request.args, "first", 0)
    while at < len(content):
        (size,) = struct.unpack_from("<I", content, at) if at + 4 <= len(content) else (0,)
        if not size or at + 4 + size > len(content):
            raise FernTideError("The frames did not arrive whole.", remedy="Draw the proof again.")
        proof.take_frame(studio(), order, frame, content[at + 4 : at + 4 + size])
        at, frame = at + 4 + size, frame + 1
    proof_parts.encode_drawn(studio(), order, first, frame)
    return jsonify(next=frame)


@pages.post("/<id>/end")
def end(key: str, id: str) -> str:
    """Make the video of frames that are all there."""
    job = proof.begin(studio(), _same(key, id))
    return _shown(key, id, job.id)


@pages.get("/<id>/<job_id>")
def going_on(key: str, id: str, job_id: str) -> str:
    """Say how far the video is."""
    return _shown(key, id, job_id)


@pages.post("/<id>/<job_id>/cancel")
def cancel(key: str, id: str, job_id: str) -> str:
    """Ask the making of a video to stop; its frames stay."""
    studio().jobs.cancel(job_id)
    return _shown(key, id, job_id)


def _shown(key: str, id: str, job_id: str) -> str:
    job = studio().jobs.get(job_id)
    if job is None:
        raise FernTideError("This proof is not there any more.", remedy="Make it again.")
    order = proof_order.ProofOrder.model_validate(job.payload["order"])
    size = 0
    if job.state == DONE and order.video is not None:
        size = studio().derived.path(order.key, suffix=order.video.extension).stat().st_size
    words = job_words(job)
    return render_template("handoff/proof_made.html", key=key, id=id, job=words, order=order, size=size)


@pages.get("/<id>/<job_id>/file")
def download(key: str, id: str, job_id: str) -> Response:
    """Give a video."""
    job = studio().jobs.get(job_id)
    order = None if job is None else proof_order.ProofOrder.model_validate(job.payload["order"])
    if order is None or order.video is None or not studio().derived.has(order.key, suffix=order.video.extension):
        raise FernTideError("This proof is not there any more.", remedy="Make it again.")
    name = f"{writing.file_stem(order.project.name)}{order.video.extension}"
    path = studio().derived.path(order.key, suffix=order.video.extension)
    return send_file(path, mimetype=order.video.media_type, as_attachment=True, download_name=name)

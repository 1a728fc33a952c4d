"""Hand-off: which curves are stale and why, keys, checks, and writing in open formats."""

from __future__ import annotations

import io
from collections import deque
from collections.abc import Mapping
from urllib.parse import urlencode

from flask import Blueprint, Response, render_template, request, send_file
from werkzeug.datastructures import MultiDict

from fern_tide.core.bake.checking import CHECKS
from fern_tide.core.base.errors import UnknownName
from fern_tide.core.base.target import Target
from fern_tide.core.derivation.keys_nodes import range_of
from fern_tide.core.formats.format import Written
from fern_tide.core.formats.registry import FORMATS
from fern_tide.store.revision import Revision
from fern_tide.web.context import render, services, staged, studio
from fern_tide.web.packing import Pack
from fern_tide.web.views.handoff import HandoffView, handoff_view
from fern_tide.workflows.bake import baking
from fern_tide.workflows.bake.pieces import baked_pieces
from fern_tide.workflows.hand_off import writing

pages = Blueprint("handoff", __name__, url_prefix="/p/<key>/hand-off")
_last: deque[tuple[object, Written]] = deque(maxlen=1)


@pages.get("")
def room(key: str) -> str:
    """Show the room."""
    return render("handoff.html", _asked_for(studio().projects.current(key)), room="hand-off")


@pages.get("/parts")
def parts(key: str) -> str:
    """Show the room's contents anew."""
    return render("handoff/parts.html", _asked_for(studio().projects.current(key)))


def _asked_for(revision: Revision) -> HandoffView:
    return handoff_view(revision, target=request.args.get("target", ""), limits=_limits(request.args))


def _limits(asked: Mapping[str, str]) -> dict[str, dict[str, str]]:
    """Read limits of checks, such as 'check.never_moves.least', from an address; those of a check that is gone go."""
    limits: dict[str, dict[str, str]] = {name: {} for name in CHECKS}
    for name, value in asked.items():
        kind, _, rest = name.partition(".")
        check, _, field = rest.partition(".")
        if kind == "check" and check in limits:
            limits[check][field] = value
    return limits


@pages.get("/curve")
def curve(key: str) -> Response:
    """Give a baked curve and its thinned keys."""
    project = studio().projects.current(key).document
    target = Target.parse(request.args.get("target", ""))
    levels, pack = services().levels, Pack()
    for state in baking.states(studio(), levels, key, project, only=target):
        keys = baking.keys_of(levels, state, error_percent=project.keys_error_percent)
        if state.values is not None and keys is not None:
            head = {
                "dense": pack.add(state.values),
                "frames": pack.add(keys.frames.astype("float64")),
                "keys": pack.add(keys.values),
                "error_percent": 100 * keys.error / range_of(state.values),
            }
            return pack.response(head)
    raise UnknownName(f"{target} is not baked yet.", remedy="Bake first.", name=str(target))


@pages.post("/write/<format_id>")
def write(key: str, format_id: str) -> str:
    """Bake what is stale, write the curves in a format, read them back, and say how they compare."""
    project, levels = studio().projects.current(key).document, services().levels
    if baking.stale_count(studio(), levels, key, project):
        baking.bake_all(studio(), levels, key, project)
    written = _written(key, format_id, request.form)
    query = urlencode(list(request.form.items(multi=True)))
    return render_template("handoff/written.html", key=key, written=written, n_curves=written.n_curves, query=query)


@pages.get("/files/<format_id>")
def download(key: str, format_id: str) -> Response:
    """Give the baked curves as a file."""
    written = _written(key, format_id, request.args)
    name = f"{writing.file_stem(studio().projects.current(key).document.name)}{written.format.extension}"
    stream = io.BytesIO(written.content)
    return send_file(stream, mimetype=written.format.media_type, as_attachment=True, download_name=name)


def _written(key: str, format_id: str, asked: MultiDict[str, str]) -> Written:
    """Write with the options and parts that are asked for; keys are as near to the curves as the project says.

    What was written last is at hand for its download, which follows.
    """
    revision, baked = studio().projects.current(key), studio().projects.baked(key)
    project, wanted = revision.document, frozenset(asked.items(multi=True))
    what = (key, revision.id, tuple(sorted(baked.items())), format_id, wanted)
    for known, written in tuple(_last):
        if known == what:
            return written
    chosen = FORMATS[format_id].params.model_fields
    own = {"error_percent": project.keys_error_percent} if "error_percent" in chosen else {}
    options = own | {name: value for name, value in asked.items() if name in chosen}
    curves = baking.baked_curves(studio(), services().levels, key, project)
    media, parts = staged(project.scene).media, asked.getlist("part") or None
    moved = baked_pieces(studio(), services().levels, key, project)
    written = writing.write_format(
        project, curves, format_id=format_id, media=media, options=options, parts=parts, moved=moved
    )
    _last.append((what, written))
    return written

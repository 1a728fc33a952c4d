"""Hand-off: which curves are stale and why, keys, checks, and writing in open formats."""

from __future__ import annotations

import io
from collections import deque
from collections.abc import Mapping
from contextlib import suppress
from urllib.parse import urlencode

from flask import Blueprint, Response, render_template, request, send_file
from werkzeug.datastructures import MultiDict

from fern_tide.core.bake.checking import CHECKS
from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.target import Target
from fern_tide.core.derivation.keys_nodes import range_of
from fern_tide.core.formats.format import Written
from fern_tide.core.formats.registry import FORMATS
from fern_tide.store.job_rows import DONE, Job
from fern_tide.store.revision import Revision
from fern_tide.web.context import render, services, staged, studio
from fern_tide.web.packing import Pack
from fern_tide.web.pages.jobs import job_words
from fern_tide.web.views.handoff import HandoffView, handoff_view
from fern_tide.web.views.report import report_view
from fern_tide.workflows.bake import baking
from fern_tide.workflows.bake.pieces import baked_pieces, check_fresh
from fern_tide.workflows.hand_off import long, writing
from fern_tide.workflows.hand_off.batch import zipped
from fern_tide.workflows.tune import keys_by_hand, sync_report, touching

pages = Blueprint("handoff", __name__, url_prefix="/p/<key>/hand-off")
_last: deque[tuple[str, Written]] = deque(maxlen=12)


@pages.get("")
def room(key: str) -> str:
    """Show the room."""
    return render("handoff.html", _asked_for(studio().projects.current(key)), room="hand-off", below="write")


@pages.get("/parts")
def parts(key: str) -> str:
    """Show the room's contents anew."""
    below = request.args.get("below", "write")
    return render("handoff/parts.html", _asked_for(studio().projects.current(key)), below=below)


def _asked_for(revision: Revision) -> HandoffView:
    moved_percent = touching.MOVED_PERCENT
    with suppress(ValueError):
        moved_percent = min(1000.0, max(0.0, float(request.args.get("moved_percent", moved_percent))))
    limits, target = _limits(request.args), request.args.get("target", "")
    return handoff_view(revision, target=target, limits=limits, moved_percent=moved_percent)


def _limits(asked: Mapping[str, str]) -> dict[str, dict[str, str]]:
    """Read limits of checks, such as 'check.never_moves.least', from an address; those of a check that is gone go."""
    limits: dict[str, dict[str, str]] = {name: {} for name in CHECKS}
    for name, value in asked.items():
        kind, _, rest = name.partition(".")
        check, _, field = rest.partition(".")
        if kind == "check" and check in limits:
            limits[check][field] = value
    return limits


@pages.get("/report")
def report(key: str) -> str:
    """Show how far every curve lies behind its hits, to be read or printed."""
    revision = studio().projects.current(key)
    return render("handoff/report.html", report_view(revision))


@pages.get("/sync.csv")
def sync_table(key: str) -> Response:
    """Give the same figures as CSV."""
    project = studio().projects.current(key).document
    text = sync_report.sync_csv(project, sync_report.sync_rows(services().levels, project))
    name = f"{writing.file_stem(project.name)} sync.csv"
    return send_file(io.BytesIO(text.encode()), mimetype="text/csv", as_attachment=True, download_name=name)


@pages.get("/curve")
def curve(key: str) -> Response:
    """Give a curve as it is now, with what lies under its touch-ups, its keys, and its touch-ups' stretches."""
    project = studio().projects.current(key).document
    target = Target.parse(request.args.get("target", ""))
    levels, pack = services().levels, Pack()
    now = touching.touched_curve(levels, project, target)
    keys = keys_by_hand.shown_keys(levels, project, target)
    rate, n_frames = project.rate, project.n_frames
    spans = [(*laid.inside(rate, n_frames), laid.touch_up) for laid, _ in now.laid]
    head = {
        "dense": pack.add(now.values),
        "below": pack.add(now.below) if now.laid else None,
        "frames": pack.add(keys.frames.astype("float64")),
        "keys": pack.add(keys.values),
        "error_percent": 100 * keys.error / range_of(now.values),
        "unit": now.stack.item.unit,
        "label": f"{now.stack.part.name}, {now.stack.item.label.lower()}",
        "spans": [
            {"id": one.id, "first": first, "end": end, "words": one.touch.spec.words(one.touch.params)}
            for first, end, one in spans
        ],
    }
    return pack.response(head)


@pages.post("/write/<format_id>")
def write(key: str, format_id: str) -> str:
    """Bake what is stale, write the curves in a format, read them back, and say how they compare; or begin with it."""
    project, levels = studio().projects.current(key).document, services().levels
    if baking.stale_count(studio(), levels, key, project):
        baking.bake_all(studio(), levels, key, project)
    order = _order(key, format_id, request.form)
    job = None
    if long.is_long(studio(), levels, order) and not long.is_stored(studio(), order):
        check_fresh(studio(), levels, key, order.project)
        job = long.begin(studio(), order)
    return _shown(key, order, job=job, asked=request.form)


@pages.get("/write/<format_id>/<job_id>")
def writing_on(key: str, format_id: str, job_id: str) -> str:
    """Say how far a long piece of writing is, or what came of it."""
    return _shown(key, _order(key, format_id, request.args), job=studio().jobs.get(job_id), asked=request.args)


@pages.post("/write/<format_id>/<job_id>/cancel")
def cancel(key: str, format_id: str, job_id: str) -> str:
    """Ask a long piece of writing to stop."""
    studio().jobs.cancel(job_id)
    return _shown(key, _order(key, format_id, request.args), job=studio().jobs.get(job_id), asked=request.args)


def _shown(key: str, order: long.Order, *, job: Job | None, asked: MultiDict[str, str]) -> str:
    """Show what was written, or how far it is."""
    query = urlencode(list(asked.items(multi=True)))
    if job is not None and job.state != DONE:
        return render_template("handoff/writing.html", key=key, job=job_words(job), format_id=order.format, query=query)
    written = _written(key, order)
    n, what = (written.n_moments, "moment") if written.n_moments else (written.n_curves, "curve")
    words = f"{n} {what}{'' if n == 1 else 's'}"
    return render_template("handoff/written.html", key=key, written=written, words=words, query=query)


@pages.post("/batch")
def batch(key: str) -> str:
    """Bake what is stale, write all formats that are checked, and say how they compare."""
    project, levels = studio().projects.current(key).document, services().levels
    if baking.stale_count(studio(), levels, key, project):
        baking.bake_all(studio(), levels, key, project)
    written = _batch(key, request.form)
    query = urlencode(list(request.form.items(multi=True)))
    return render_template("handoff/batch.html", key=key, written=written, query=query)


@pages.get("/batch.zip")
def batch_file(key: str) -> Response:
    """Give all formats that are checked as one zip."""
    project = studio().projects.current(key).document
    stem = writing.file_stem(project.name)
    stream = io.BytesIO(zipped(project, stem, _batch(key, request.args)))
    return send_file(stream, mimetype="application/zip", as_attachment=True, download_name=f"{stem}.zip")


def _batch(key: str, asked: MultiDict[str, str]) -> list[Written]:
    names = list(dict.fromkeys(asked.getlist("format")))
    if not names:
        raise FernTideError("No format is checked.", remedy="Put a check beside those that are to go in.")
    orders = [_order(key, name, asked) for name in names]
    slow = [FORMATS[one.format].label for one in orders if long.is_long(studio(), services().levels, one)]
    if slow:
        raise FernTideError(f"{slow[0]} takes long here.", remedy="Write it by itself, with progress.")
    return [_written(key, one) for one in orders]


@pages.get("/files/<format_id>")
def download(key: str, format_id: str) -> Response:
    """Give the baked curves as a file."""
    written = _written(key, _order(key, format_id, request.args))
    name = f"{writing.file_stem(studio().projects.current(key).document.name)}{written.format.extension}"
    stream = io.BytesIO(written.content)
    return send_file(stream, mimetype=written.format.media_type, as_attachment=True, download_name=name)


def _order(key: str, format_id: str, asked: MultiDict[str, str]) -> long.Order:
    """Give what is asked for, as options and parts; keys are as near to the curves as the project says."""
    project, chosen = studio().projects.current(key).document, FORMATS[format_id].params.model_fields
    own = {"error_percent": project.keys_error_percent} if "error_percent" in chosen else {}
    options = own | {name: value for name, value in asked.items() if name in chosen}
    parts = tuple(asked.getlist("part")) or None
    return long.Order(
        project=project, baked=studio().projects.baked(key), format=format_id, options=options, parts=parts
    )


def _written(key: str, order: long.Order) -> Written:
    """Give what an order is written as: as it is stored, or as it was written last, or written now where that is quick.

    Raises:
        FernTideError: it takes long, and was not written yet.
    """
    for digest, last in tuple(_last):
        if digest == order.key:
            return last
    levels, project = services().levels, order.project
    written = long.stored(studio(), order)
    if written is None:
        if long.is_long(studio(), levels, order):
            raise FernTideError("What was written is not there any more.", remedy="Write it again.")
        written = writing.write_format(
            project,
            baking.baked_curves(studio(), levels, key, project),
            format_id=order.format,
            media=staged(project.scene).media,
            options=order.options,
            parts=order.parts,
            moved=baked_pieces(studio(), levels, key, project),
            moments=writing.moments_of(levels, project) if FORMATS[order.format].of_moments else None,
        )
    _last.append((order.key, written))
    return written

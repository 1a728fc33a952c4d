"""The Bench: stage, the selected mapping's sheet, and a lane per mapping."""

from __future__ import annotations

from flask import Blueprint, request

from fern_tide.store.revision import Revision
from fern_tide.web.context import render, studio
from fern_tide.web.pages.stage import drawing
from fern_tide.web.views.bench import BenchView, bench_view

pages = Blueprint("bench", __name__, url_prefix="/p/<key>/bench")


@pages.get("")
def room(key: str) -> str:
    """Show the room."""
    revision = studio().projects.current(key)
    stage = drawing(key, revision.document.scene)
    return render("bench.html", _asked_for(revision), room="bench", stage=stage)


@pages.get("/sheet")
def sheet(key: str) -> str:
    """Show the sheet and the heads of the lanes anew, after an edit or another selection."""
    return render("bench/parts.html", _asked_for(studio().projects.current(key)))


def _asked_for(revision: Revision) -> BenchView:
    asked, drive = request.args, request.args.get("drive", 0, type=int)
    return bench_view(
        revision,
        mapping_id=asked.get("mapping", ""),
        drive=drive,
        group=asked.get("group", ""),
        cut=asked.get("cut") != "no",
    )

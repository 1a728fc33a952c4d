"""The first cut: made when the sound is read, made otherwise, kept or not; and what a part or an envelope could do."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, jsonify, render_template, request

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.commands.command import Command
from fern_tide.core.commands.first_cut import DropFirstCut, KeepFirstCut
from fern_tide.web.context import body, services, staged, status, studio, whole
from fern_tide.workflows.tune import first_cut

pages = Blueprint("first_cut", __name__, url_prefix="/p/<key>")
_DECISIONS: dict[str, type[Command]] = {"keep": KeepFirstCut, "drop": DropFirstCut}


@pages.post("/first-cut")
def make(key: str) -> Any:
    """Make a first cut, or another one in the place of what is not decided."""
    plain = body()
    project = studio().projects.current(key).document
    seed = whole(plain, "seed") if "seed" in plain else 1
    if not 1 <= seed < 2**31:
        raise InvalidParameter("seed", value=seed, allowed="1 or more")
    first_cut.wait_for_sound(studio(), project)
    command = first_cut.first_cut(services().levels, project, staged=staged(project.scene), seed=seed)
    revision = first_cut.decide(studio(), key, command, base=whole(plain, "base"))
    cut = revision.document.first_cut
    first = {"mapping": cut.items[0].mapping, "drive": 0} if cut and cut.items else {}
    return jsonify({**status(revision), "chosen": first})


@pages.post("/first-cut/<decision>")
def decide(key: str, decision: str) -> Any:
    """Keep what a first cut proposes and was not refused, or start empty."""
    if decision not in _DECISIONS:
        raise InvalidParameter("decision", value=decision, allowed="keep or drop")
    revision = first_cut.decide(studio(), key, _DECISIONS[decision](), base=whole(body(), "base"))
    return jsonify(status(revision))


@pages.get("/suggestions")
def suggest(key: str) -> str:
    """Show what some parts could do, or what an envelope could move."""
    project = studio().projects.current(key).document
    parts = [project.scene.part(name).id for name in request.args.getlist("part")]
    envelope = request.args.get("envelope") or None
    levels, stage = services().levels, staged(project.scene)
    offers = first_cut.suggestions(levels, project, staged=stage, parts=parts, envelope=envelope)
    shown = [(words, reason, edit.model_dump(mode="json")) for words, reason, edit in offers]
    return render_template("suggestions.html", key=key, project=project, shown=shown)

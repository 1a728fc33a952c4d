"""The first cut: made when the sound is read, made otherwise, kept or not; and what a part or an envelope could do."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, jsonify

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

"""Edits, undo and redo: every one names the revision that it was made on."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, jsonify

from fern_tide.core.base.params import build
from fern_tide.core.base.target import Target
from fern_tide.core.commands.mapping import PutMapping
from fern_tide.core.commands.registry import read_command
from fern_tide.core.document import Project
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.marks import Scale
from fern_tide.store.revision import Revision
from fern_tide.web.context import body, services, status, studio, whole
from fern_tide.workflows.bake import baking
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.tune import aiming, edits

pages = Blueprint("edits", __name__, url_prefix="/p/<key>")


def _answer(revision: Revision, **more: Any) -> Any:
    return jsonify({**status(revision), **more})


@pages.get("/status")
def stand(key: str) -> Any:
    """Say how the project stands."""
    return _answer(studio().projects.current(key))


@pages.post("/edits")
def edit(key: str) -> Any:
    """Store an edit."""
    plain = body()
    _, before = studio().projects.head(key)
    revision = edits.edit(studio(), key, read_command(plain.get("command")), base=whole(plain, "base"))
    return _answer(revision, chosen=_new_envelope(before, revision.document))


def _new_envelope(before: Project, after: Project) -> dict[str, str]:
    """Name the envelope that an edit added: it is shown next."""
    known = {item.id for item in before.envelopes}
    return next(({"envelope": item.id} for item in after.envelopes if item.id not in known), {})


@pages.post("/undo")
def undo(key: str) -> Any:
    """Go back one revision."""
    revision = studio().projects.undo(key, base=whole(body(), "base"))
    analysis.ensure(studio(), revision.document)
    return _answer(revision)


@pages.post("/redo")
def redo(key: str) -> Any:
    """Go forward one revision."""
    revision = studio().projects.redo(key, base=whole(body(), "base"))
    analysis.ensure(studio(), revision.document)
    return _answer(revision)


@pages.post("/mappings")
def add_mapping(key: str) -> Any:
    """Add a mapping with good first marks and ends."""
    plain = body()
    project = studio().projects.at(key, whole(plain, "base")).document
    envelope, target = aiming.first_choice(project)
    if plain.get("target"):
        target = Target.parse(str(plain["target"]))
    envelope = str(plain.get("envelope") or envelope)
    mapping = edits.new_mapping(services().levels.under_the_hand, project, envelope_id=envelope, target=target)
    revision = edits.edit(studio(), key, PutMapping(mapping=mapping), base=whole(plain, "base"))
    return _answer(revision, chosen={"mapping": mapping.id, "drive": 0, "cut": "no"})


@pages.post("/mappings/<mapping_id>/aim")
def aim(key: str, mapping_id: str) -> Any:
    """Let one of a mapping's drives move another property, with that property's own ends; past the last, add one."""
    plain = body()
    project = studio().projects.at(key, whole(plain, "base")).document
    target = Target.parse(str(plain.get("target")))
    aimed = aiming.aim(project, project.mapping(mapping_id), place=whole(plain, "place"), target=target)
    revision = edits.edit(studio(), key, PutMapping(mapping=aimed), base=whole(plain, "base"))
    return _answer(revision, chosen={"part": target.part})


@pages.post("/mappings/<mapping_id>/drives")
def add_drive(key: str, mapping_id: str) -> Any:
    """Let a mapping move one more property."""
    plain = body()
    project = studio().projects.at(key, whole(plain, "base")).document
    mapping = project.mapping(mapping_id)
    grown = aiming.aim(project, mapping, place=len(mapping.drives), target=aiming.next_target(project, mapping))
    revision = edits.edit(studio(), key, PutMapping(mapping=grown), base=whole(plain, "base"))
    return _answer(revision, chosen={"mapping": mapping_id, "drive": len(grown.drives) - 1})


@pages.post("/mappings/<mapping_id>/suggest")
def suggest(key: str, mapping_id: str) -> Any:
    """Put a mapping's marks where its level suggests; 'envelope', 'row' and 'spread' change what it follows first."""
    plain = body()
    project = studio().projects.at(key, whole(plain, "base")).document
    mapping = project.mapping(mapping_id)
    envelope = str(plain.get("envelope") or mapping.envelope)
    scale = Scale(plain["scale"]) if plain.get("scale") in list(Scale) else mapping.marks.scale
    row = whole(plain, "row") if "row" in plain else mapping.row if envelope == mapping.envelope else 0
    spread = plain.get("spread") is True if {"row", "spread"} & plain.keys() else mapping.spread
    marks = edits.suggest(
        services().levels.under_the_hand, project, envelope_id=envelope, scale=scale, row=row, spread=spread
    ).marks
    followed = {"envelope": envelope, "row": row, "spread": spread, "marks": marks}
    changed = build(Mapping, {**mapping.model_dump(), **followed})
    return _answer(edits.edit(studio(), key, PutMapping(mapping=changed), base=whole(plain, "base")))


@pages.post("/bake")
def bake(key: str) -> Any:
    """Bake every driven property."""
    revision = studio().projects.current(key)
    curves = baking.bake_all(studio(), services().levels, key, revision.document)
    return _answer(revision, baked=len(curves))

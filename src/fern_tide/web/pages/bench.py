"""The Bench: stage, the selected mapping's sheet, and a lane per mapping."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, render_template, request

from fern_tide.core.bake.bake import Drivers
from fern_tide.core.base.target import Target
from fern_tide.core.commands.mapping import same
from fern_tide.core.document import Project
from fern_tide.core.mapping.drive import RESPONSES, Stacking
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.store.projects import Revision
from fern_tide.web.context import services, standing, studio
from fern_tide.web.pages.stage import drawing
from fern_tide.workflows.derive.analysis import NotAnalyzedYet
from fern_tide.workflows.tune import edits, why

pages = Blueprint("bench", __name__, url_prefix="/p/<key>/bench")


@pages.get("")
def room(key: str) -> str:
    """Show the room."""
    revision = studio().projects.current(key)
    stage = drawing(key, revision.document.scene)
    return render_template("bench.html", room="bench", stage=stage, **_shown(revision))


@pages.get("/sheet")
def sheet(key: str) -> str:
    """Show the sheet and the heads of the lanes anew, after an edit or another selection."""
    return render_template("bench/parts.html", **_shown(studio().projects.current(key)))


def _shown(revision: Revision) -> dict[str, Any]:
    project = revision.document
    chosen = next((m for m in project.mappings if m.id == request.args.get("mapping")), None)
    mapping = chosen or next(iter(project.mappings), None)
    ends = _ends(project, mapping) if mapping else []
    wanted = request.args.get("drive", 0, type=int)
    place = wanted if 0 <= wanted < len(ends) else 0
    stacks = services().levels.graph(project).drivers
    return {
        "key": revision.key,
        "revision": revision,
        "project": project,
        "standing": standing(revision),
        "mapping": mapping,
        "envelope": project.envelope(mapping.envelope) if mapping else None,
        "ends": ends,
        "drive_place": place,
        "defaults": ends[place]["property"].suggest_ends(_own(ends[place])) if ends else (),
        "responses": RESPONSES,
        "reason": _reason(project, mapping) if mapping else "",
        "shown_version": mapping is not None and any(same(mapping, kept) for kept in mapping.kept),
        "attention": why.attention(project, mapping, stacks=stacks) if mapping else "",
        "others": _others(mapping, stacks.get(mapping.drives[place].target, [])) if mapping else [],
        "groups": _groups(project, stacks),
    }


def _reason(project: Project, mapping: Mapping) -> str | None:
    """Why the marks would be suggested where they would be; None while the sound is being read."""
    try:
        marks = mapping.marks
        found = edits.suggest(
            services().levels, project, envelope_id=mapping.envelope, scale=marks.scale, row=mapping.row
        )
    except NotAnalyzedYet:
        return None
    return found.reason


def _others(mapping: Mapping, stack: Drivers) -> list[dict[str, Any]]:
    """The other mappings that move the shown property: those that this one lies over, and those over it."""
    own = next((at for at, (item, _) in enumerate(stack) if item.id == mapping.id), len(stack))
    return [
        {
            "name": item.name,
            "place": "over" if at < own else "under",
            "hides": at > own and drive.stacking is Stacking.REPLACE,
        }
        for at, (item, drive) in enumerate(stack)
        if at != own
    ]


def _groups(project: Project, stacks: dict[Target, Drivers]) -> list[tuple[str, list[dict[str, Any]]]]:
    """The lanes under the names of their groups: as listed there is one, without a name."""
    heads = [_head(project, item, stacks) for item in project.mappings]
    how = request.args.get("group")
    if how not in {"sound", "part"}:
        return [("", heads)] if heads else []
    found: dict[str, list[dict[str, Any]]] = {}
    for head in heads:
        part = project.scene.part(head["drive"].target.part).name
        found.setdefault(head["envelope"] if how == "sound" else part, []).append(head)
    return list(found.items())


def _ends(project: Project, mapping: Mapping) -> list[dict[str, Any]]:
    """The drives with their parts and properties."""
    found = []
    for place, drive in enumerate(mapping.drives):
        part, item = project.scene.resolve(drive.target)
        found.append({"place": place, "drive": drive, "part": part, "property": item})
    return found


def _own(end: dict[str, Any]) -> float | str:
    value: float | str = end["part"].own(end["property"].id)
    return value


def _head(project: Project, mapping: Mapping, stacks: dict[Target, Drivers]) -> dict[str, Any]:
    """What a lane says at its left and right."""
    first, *more = _ends(project, mapping)
    parts = {end["part"].name for end in (first, *more)}
    labels = {end["property"].label for end in (first, *more)}
    if not more:
        target = f"{first['part'].name}, {first['property'].label.lower()}"
    elif len(parts) == 1:
        target = f"{first['part'].name}, {', '.join(sorted(labels)).lower()}"
    else:
        target = f"{len(parts)} parts, {', '.join(sorted(labels)).lower()}"
    return {
        "mapping": mapping,
        "attention": why.attention(project, mapping, stacks=stacks),
        "envelope": project.envelope(mapping.envelope).name,
        "target": target,
        "drive": first["drive"],
        "property": first["property"],
    }

"""Curves, levels and waveforms as bytes, for the pages to draw; and what is heard."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from flask import Blueprint, Response, jsonify, request, send_file

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.base.units import to_db
from fern_tide.core.commands.command import Command
from fern_tide.core.commands.registry import read_command
from fern_tide.core.document import Project, Track
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.marks import Scale
from fern_tide.core.sound.features import WaveformFeature
from fern_tide.core.sound.running import WAVEFORM_SAMPLES
from fern_tide.web.context import body, services, staged, studio, whole
from fern_tide.web.heads import head
from fern_tide.web.level_heads import level_head
from fern_tide.web.packing import Pack
from fern_tide.web.views.arrays import motion_head, moved_arrays
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.reuse import recipes
from fern_tide.workflows.tune import edits, picking, why
from fern_tide.workflows.tune.listening import heard_file, heard_key, kept_file

pages = Blueprint("curves", __name__, url_prefix="/p/<key>")


@pages.get("/curves")
def all_curves(key: str) -> Response:
    """Give every lane and every curve of the project as it stands; what is still being analyzed comes later.

    'since' names a revision that the page has: then only what was changed from it is given, with all that there is; and
    whatever mappings are named by 'also', whose previews the page has drawn meanwhile. 'parts' names parts whose heads
    the page needs besides those of what moves.
    """
    revision, project = studio().projects.head(key)
    since = request.args.get("since", type=int)
    before = None if since is None else studio().projects.document_at(key, since)
    changes = (
        edits.Changes(project.mappings, None) if before is None else edits.changes(services().levels, before, project)
    )
    also = frozenset(request.args.get("also", "").split(","))
    changes = edits.with_also(changes, project, also)
    unread = {mapping.id for mapping in project.mappings if not services().levels.ready(project, mapping)}
    if unread:
        project = project.but(mappings=tuple(m for m in project.mappings if m.id not in unread))
        changes = replace(changes, mappings=tuple(m for m in changes.mappings if m.id not in unread))
    looks = _looks()
    moved = services().levels.graph(_looked_at(project, looks.only)).drivers
    there = {"lanes": [mapping.id for mapping in project.mappings], "curves": [str(target) for target in moved]}
    return _packed(project, changes, {"revision": revision, "all": there}, looks, before=before, whole=also)


@pages.post("/preview")
def preview(key: str) -> Response:
    """Give what an edit would change, without storing it: the path that bakes, on the document after the edit."""
    revision, before = studio().projects.head(key)
    plain = body()
    if plain.get("recipe"):
        command = recipes.command(
            studio(),
            services().levels,
            before,
            mapping_id=str(plain.get("mapping")),
            recipe_id=str(plain["recipe"]),
        )
    elif isinstance(plain.get("aim"), dict):
        command = _tried(before, plain["aim"])
    else:
        command = edits.as_seen(studio(), key, read_command(plain.get("command")), before)
    after = command.apply(before)
    hand = services().levels.under_the_hand
    return _packed(
        after, edits.changes(hand, before, after), {"revision": revision}, _looks(), before=before, levels=hand
    )


def _tried(project: Project, aim: dict[str, Any]) -> Command:
    """Give the edit that picking a property would be."""
    return picking.tried(
        services().levels.under_the_hand,
        project,
        target=Target.parse(str(aim.get("target"))),
        mapping_id=str(aim.get("mapping") or ""),
        place=whole(aim, "place") if "place" in aim else 0,
        envelope_id=str(aim.get("envelope") or ""),
    )


@dataclass(frozen=True)
class _Looks:
    """How the project is looked at.

    'only' names the one mapping that moves things, 'traces' the one with lines of its steps; 'parts' those parts whose
    heads are given though nothing moves them.
    """

    only: str | None
    traces: str | None
    parts: frozenset[str]


def _looks() -> _Looks:
    only, traces = request.args.get("only"), request.args.get("traces")
    return _Looks(only, traces, frozenset(request.args.get("parts", "").split(",")))


def _looked_at(project: Project, only: str | None) -> Project:
    """Give the document as it is looked at."""
    if only is None or all(mapping.id != only for mapping in project.mappings):
        return project
    alone = (m if m.id == only else m.but(muted=True) for m in project.mappings)
    return project.but(mappings=tuple(alone))


def _packed(
    project: Project,
    changes: edits.Changes,
    more: dict[str, Any],
    looks: _Looks,
    *,
    before: Project | None,
    whole: frozenset[str] = frozenset(),
    levels: Levels | None = None,
) -> Response:
    """Pack lanes and curves: of the whole project, or of what an edit of the document before changes.

    Mappings named by `whole` come with their level, whether the page should have it or not.
    """
    pack, levels, stage = Pack(), levels or services().levels, staged(project.scene)
    shown = _looked_at(project, looks.only)
    curves = {curve.target: curve for curve in levels.curves(shown, changes.targets)}
    stacks = levels.graph(shown).drivers
    known = {mapping.id: None if mapping.id in whole else before for mapping in changes.mappings}
    shown_parts = {*(target.part for target in curves), *looks.parts}
    about = {
        "frames": project.n_frames,
        "lanes": {
            mapping.id: _lane(
                pack,
                levels,
                shown,
                mapping,
                before=known[mapping.id],
                stacked=why.sum_lift(mapping, curves, stacks=stacks),
                traced=looks.traces == mapping.id,
            )
            for mapping in changes.mappings
        },
        "curves": {str(target): _curve(pack, curve) for target, curve in curves.items()},
        "parts": {part.id: head(stage, part) for part in project.scene.parts if part.id in shown_parts},
        "pieces": {part.id: motion_head(pack, levels, shown, part) for part in moved_arrays(shown, curves)},
        "looks": stage.looks,
    }
    return pack.response({**about, **more})


def _lane(
    pack: Pack,
    levels: Levels,
    project: Project,
    mapping: Mapping,
    *,
    before: Project | None,
    stacked: FloatArray | None,
    traced: bool,
) -> dict[str, Any]:
    """A lane and its sheet; levels and marks are in the unit of the marks' scale, so that the page converts nothing.

    A level that the page has already is not sent again: it is the most of a lane's bytes.
    """
    known = before is not None and edits.same_level(levels, before, project, mapping)
    level = levels.followed(project, mapping)
    shown = edits.sheet(levels, project, mapping)
    marks, in_db = mapping.marks, mapping.marks.scale is Scale.DB
    loud = project.envelope(mapping.envelope).unit.in_db
    return {
        "level": None if known else pack.add(to_db(level) if in_db else level),
        "value": pack.add(edits.lane_lift(levels, project, mapping)),
        "histogram": pack.add(shown.histogram),
        "transfers": pack.add(shown.transfers),
        "axis": [shown.axis_low, shown.axis_high],
        "low": to_db(marks.low) if in_db else marks.low,
        "high": to_db(marks.high) if in_db else marks.high,
        "low_shown": to_db(marks.low) if loud else 100 * marks.low,
        "high_shown": to_db(marks.high) if loud else 100 * marks.high,
        "unit": "dB" if loud else "%",
        "scale": str(marks.scale),
        "sum": None if stacked is None else pack.add(stacked),
        "traces": pack.add(why.step_traces(levels, project, mapping)) if traced and mapping.steps else None,
        "hits": shown.hits,
        "at_rest": shown.at_rest,
        "at_full": shown.at_full,
        "seconds": float(project.rate.duration_s(project.n_frames)),
    }


def _curve(pack: Pack, curve: Curve) -> dict[str, Any]:
    return {"values": pack.add(curve.values), "kind": curve.kind}


@pages.get("/envelopes/<envelope_id>/level")
def level(key: str, envelope_id: str) -> Response:
    """Give an envelope's raw and cleaned level."""
    project = studio().projects.head(key)[1]
    pack = Pack()
    return pack.response(level_head(pack, project, project.envelope(envelope_id)))


@pages.post("/envelopes/preview")
def level_preview(key: str) -> Response:
    """Give an envelope's levels as they would be after an edit that is not stored."""
    before = studio().projects.head(key)[1]
    after = edits.as_seen(studio(), key, read_command(body().get("command")), before).apply(before)
    changed = next((item for item in after.envelopes if item not in before.envelopes), None)
    envelope = changed or after.envelope(str(request.args.get("envelope", "")))
    pack = Pack()
    return pack.response(level_head(pack, after, envelope, levels=services().levels.under_the_hand))


@pages.get("/tracks/<track_id>/waveform")
def waveform(key: str, track_id: str) -> Response:
    """Give a track's waveform: the lowest and highest sample of every 256."""
    project = studio().projects.head(key)[1]
    track = project.track(track_id)
    pack = Pack()
    return pack.response(waveform_head(pack, project, track))


def waveform_head(pack: Pack, project: Project, track: Track) -> dict[str, Any]:
    """Pack a track's waveform as signed bytes, 127 being the highest sample of all."""
    spans = services().levels.feature(project, track, WaveformFeature())
    top = float(np.abs(spans).max(initial=0.0)) or 1.0
    return {
        "waveform": pack.add_bytes(np.round(spans * (127.0 / top)).astype(np.int8).view(np.uint8)),
        "top": top,
        "span_s": WAVEFORM_SAMPLES / track.info.sample_rate_hz,
        "start_s": float(track.offset),
    }


@pages.get("/heard")
def heard(key: str) -> Response:
    """Say under which address the sound of the project as it stands is heard."""
    project = studio().projects.head(key)[1]
    name = heard_key(project)
    return jsonify(url=None if name is None else f"/p/{key}/heard/{name}.wav")


@pages.get("/heard/<name>.wav")
def heard_sound(key: str, name: str) -> Response:
    """Serve what is heard, by byte ranges; also what was heard before an edit, while the page still plays it."""
    path = heard_file(studio(), studio().projects.head(key)[1])
    if path is None or path.stem != name:
        path = kept_file(studio(), name)
    if path is None:
        return Response(status=404)
    return send_file(path, mimetype="audio/wav", conditional=True, max_age=3600)

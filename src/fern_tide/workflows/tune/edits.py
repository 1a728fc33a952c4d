"""Tuning: edits as revisions, previews of edits not yet stored, and new mappings that move well at once."""

from __future__ import annotations

from collections.abc import Container
from dataclasses import dataclass
from operator import is_

import numpy as np

from fern_tide.core.bake.pieces import is_of_pieces
from fern_tide.core.base.naming import fresh_id
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.base.units import from_db
from fern_tide.core.commands.command import Command
from fern_tide.core.derivation.node import Node
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import followed_level
from fern_tide.core.mapping.drive import RESPONSES, Drive
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.marks import Scale, Suggestion, crossings, lift, suggest_marks
from fern_tide.store.revision import Revision
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.studio import Studio
from fern_tide.workflows.tune.aiming import name_after

TRANSFER_POINTS = 129


def edit(studio: Studio, key: str, command: Command, *, base: int) -> Revision:
    """Apply a command to the revision that it was made on and store the outcome.

    Raises:
        Conflict: the project has been changed since.
        FernTideError: the command names something that is not there, or would make an impossible document.
    """
    current = studio.projects.at(key, base)
    command = as_seen(studio, key, command, current.document)
    project = command.apply(current.document)
    if project == current.document:
        return current
    revision = studio.projects.save(key, project, base=base, label=command.label(current.document))
    if not _sounds_alike(current.document, project):
        analysis.ensure(studio, project)
    return revision


def as_seen(studio: Studio, key: str, command: Command, project: Project) -> Command:
    """Give a command for a project's document as it is now, where it was meant for what was seen of an older one.

    Raises:
        FernTideError: what it was meant for is not there any more.
    """
    return command.as_seen(lambda revision: studio.projects.document_at(key, revision), project)


def _sounds_alike(before: Project, after: Project) -> bool:
    """Say whether a document needs nothing of its sounds that the one before did not: what hears is the very same."""
    many = ("tracks", "envelopes", "mappings", "touch_ups")
    return (before.rate, before.beat, before.first_cut) == (after.rate, after.beat, after.first_cut) and all(
        len(getattr(before, name)) == len(getattr(after, name))
        and all(map(is_, getattr(before, name), getattr(after, name)))
        for name in many
    )


@dataclass(frozen=True)
class Sheet:
    """What the sheet of a mapping shows, all computed by the core.

    Attributes:
        histogram: frames per level, shape (64,), over axis_low..axis_high in the marks' scale.
        axis_low: the left end of the level axis.
        axis_high: its right end.
        transfers: what each drive's response makes of lift at evenly spaced levels of the axis, shape (drives, 129).
        hits: how often the level rises above low water.
        at_rest: the share of frames at lift 0.
        at_full: the share of frames at lift 1.
    """

    histogram: FloatArray
    axis_low: float
    axis_high: float
    transfers: FloatArray
    hits: int
    at_rest: float
    at_full: float


def sheet(levels: Levels, project: Project, mapping: Mapping) -> Sheet:
    """Compute the sheet of a mapping.

    Raises:
        NotAnalyzedYet: a track's features are still being read.
    """
    envelope = project.envelope(mapping.envelope)
    level = levels.followed(project, mapping)
    counts, low, high = levels.histogram(project, envelope, scale=mapping.marks.scale, row=mapping.row)
    axis = np.linspace(low, high, TRANSFER_POINTS)
    along = lift(axis if mapping.marks.scale is Scale.LINEAR else from_db(axis), marks=mapping.marks)
    responses = [drive.response for drive in mapping.drives]
    transfers = [RESPONSES[response.id].apply(along, params=response.params) for response in responses]
    now = lift(level, marks=mapping.marks)
    n = max(1, level.size)
    return Sheet(
        histogram=counts,
        axis_low=low,
        axis_high=high,
        transfers=np.stack(transfers),
        hits=crossings(level, mark=mapping.marks.low),
        at_rest=float(np.count_nonzero(now <= 0) / n),
        at_full=float(np.count_nonzero(now >= 1) / n),
    )


def lane_lift(levels: Levels, project: Project, mapping: Mapping) -> FloatArray:
    """Give what a lane draws as motion: the first drive's response of lift, 0 at rest and 1 at full; (frames,)."""
    response = mapping.drives[0].response
    lift = levels.lift(project, mapping)
    return RESPONSES[response.id].apply(lift.max(axis=0) if lift.ndim > 1 else lift, params=response.params)


@dataclass(frozen=True)
class Changes:
    """What an edit changed.

    Attributes:
        mappings: of the later document, those whose lanes look otherwise: changed, or in one stack with what was.
        targets: the properties whose curves may be others, or gone; None is all of them.
    """

    mappings: tuple[Mapping, ...]
    targets: frozenset[Target] | None


def changes(levels: Levels, before: Project, after: Project) -> Changes:
    """Compare two documents by the fingerprints of what is derived from them."""
    was, now = levels.graph(before), levels.graph(after)
    mappings = [{mapping.id: mapping for mapping in project.mappings} for project in (before, after)]
    both = mappings[0].keys() & mappings[1].keys()
    same_order = [key for key in mappings[0] if key in both] == [key for key in mappings[1] if key in both]
    if before.scene != after.scene or before.n_frames != after.n_frames or not same_order:
        return Changes(after.mappings, None)
    targets = {target for target, node in now.curves.items() if node.fingerprint != _print(was.curves.get(target))}
    targets |= was.curves.keys() - now.curves.keys()
    changed = {
        key
        for key, mapping in mappings[1].items()
        if mappings[0].get(key) != mapping or now.lift(mapping).fingerprint != was.lift(mappings[0][key]).fingerprint
    }
    shown = tuple(m for m in after.mappings if m.id in changed or m.drives[0].target in targets)
    return Changes(shown, frozenset(targets))


def _print(node: Node | None) -> str:
    return "" if node is None else node.fingerprint


def with_also(changes: Changes, project: Project, also: Container[str]) -> Changes:
    """Give changes with some mappings more, and all that those move."""
    there = {mapping.id for mapping in changes.mappings}
    wanted = [mapping for mapping in project.mappings if mapping.id in also]
    more = [mapping for mapping in wanted if mapping.id not in there]
    targets = {drive.target for mapping in wanted for drive in mapping.drives}
    joined = None if changes.targets is None else changes.targets | targets
    return Changes((*changes.mappings, *more), joined)


def same_level(levels: Levels, before: Project, after: Project, mapping: Mapping) -> bool:
    """Say whether an edit left alone the level that a mapping of the later document shows, its unit included."""
    was = next((item for item in before.mappings if item.id == mapping.id), None)
    if was is None or (was.row, was.spread, was.marks.scale) != (mapping.row, mapping.spread, mapping.marks.scale):
        return False
    nodes = [levels.graph(project).lift(item).inputs[0] for project, item in ((before, was), (after, mapping))]
    return nodes[0].fingerprint == nodes[1].fingerprint


def new_mapping(levels: Levels, project: Project, *, envelope_id: str, target: Target) -> Mapping:
    """Make a mapping with marks suggested from the level and ends suggested by the property.

    Raises:
        UnknownName: there is no such envelope, part or property.
        NotAnalyzedYet: the level cannot be read yet.
    """
    part, item = project.scene.resolve(target)
    envelope = project.envelope(envelope_id)
    rest, full = item.suggest_ends(part.own(item.id))
    name = name_after(project, target)
    drives = [Drive(target=target, rest=rest, full=full)]
    spread = bool(envelope.rows) and is_of_pieces(part, item.id)
    return Mapping(
        id=fresh_id(name, among=project.mappings),
        name=name,
        envelope=envelope_id,
        spread=spread,
        marks=suggest(levels, project, envelope_id=envelope.id, scale=Scale.LINEAR, spread=spread).marks,
        drives=tuple(drives),
    )


def suggest(
    levels: Levels, project: Project, *, envelope_id: str, scale: Scale, row: int = 0, spread: bool = False
) -> Suggestion:
    """Suggest marks from the histogram of an envelope, of a row of a bank, or of the highest of its rows."""
    envelope = project.envelope(envelope_id)
    level = followed_level(levels.cleaned(project, envelope), row=row, spread=spread)
    return suggest_marks(level, scale=scale, in_db=envelope.unit.in_db)

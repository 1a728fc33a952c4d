"""Bake: dense curves stored under their fingerprints, with what they were made of, so that stale ones can say why."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from fern_tide.core.bake.bake import driven
from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.inputs import Inputs, inputs_fingerprint, reasons
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import Envelope
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.store.projects import BakedRow
from fern_tide.workflows.levels import Levels
from fern_tide.workflows.source import beats_made_of, hits_made_of
from fern_tide.workflows.studio import Studio
from fern_tide.workflows.tune import curves


class State(StrEnum):
    """Whether a curve's bake is up to date."""

    FRESH = "fresh"
    CHANGED = "changed"
    NEW = "not baked yet"


@dataclass(frozen=True)
class CurveState:
    """A driven property and the state of its bake.

    Attributes:
        target: the property.
        part_name: what people call the part.
        label: what people call the property.
        envelopes: the names of what drives it.
        state: fresh, changed or not baked yet.
        reasons: why it is changed.
        values: the baked values, or None when it was never baked.
    """

    target: Target
    part_name: str
    label: str
    envelopes: tuple[str, ...]
    state: State
    reasons: tuple[str, ...]
    values: FloatArray | None


def _inputs(project: Project, target: Target, drivers: list[tuple[Mapping, Drive]]) -> Inputs:
    part, item = project.scene.resolve(target)
    rows = []
    for mapping, drive in drivers:
        envelope = project.envelope(mapping.envelope)
        rows.append(
            {
                "mapping": mapping.model_dump(mode="json", exclude={"drives", "muted", "kept"}),
                "drive": drive.model_dump(mode="json", exclude={"along", "other_way"}),
                "envelope": envelope.model_dump(mode="json"),
                "versions": [*envelope.versions, *mapping.versions],
                "hits": hits_made_of(project, mapping),
                "joined": [
                    [item.model_dump(mode="json"), item.versions, _made_of(project, item)]
                    for item in map(project.envelope, mapping.uses)
                ],
                "place": [mapping.drives.index(drive), len(mapping.drives)] if mapping.spread else None,
                **_made_of(project, envelope),
            }
        )
    return {
        "target": str(target),
        "own": part.own(item.id),
        "rate": str(project.rate),
        "n_frames": project.n_frames,
        "drivers": rows,
        **_tied(project, target),
    }


def _tied(project: Project, target: Target) -> Inputs:
    """Give a property's limits, and what it follows with all that goes into that."""
    found: Inputs = {}
    limit, follow = project.scene.limit_of(target), project.scene.follow_of(target)
    if limit is not None:
        found["limits"] = limit.model_dump(mode="json")
    if follow is not None:
        drivers = driven(project.scene, project.mappings).get(follow.source, [])
        found["follows"] = [follow.model_dump(mode="json"), _inputs(project, follow.source, drivers)]
    return found


def _made_of(project: Project, envelope: Envelope) -> Inputs:
    """Give what an envelope's level comes from: files, the envelopes it blends, and the beats."""
    parts = project.made_of(envelope)
    tracks = [project.track(part.track) for part in parts if part.track is not None and part.reading.spec.of_track]
    return {
        "media": [[track.media, track.offset_samples, track.drives] for track in tracks],
        "blended": [[part.model_dump(mode="json"), part.versions] for part in parts[1:]],
        "beats": beats_made_of(project) if any(part.reading.spec.on_beats for part in parts) else None,
    }


def states(studio: Studio, key: str, project: Project) -> list[CurveState]:
    """List the driven properties with the state of each curve's bake."""
    baked = studio.projects.baked(key)
    found = []
    for target, drivers in driven(project.scene, project.mappings).items():
        part, item = project.scene.resolve(target)
        now = _inputs(project, target, drivers)
        row = baked.get(str(target))
        values = studio.derived.get(row.fingerprint) if row else None
        why: tuple[str, ...] = ()
        if row is None or values is None:
            state = State.NEW
        elif row.fingerprint == inputs_fingerprint(now):
            state = State.FRESH
        else:
            state, why = State.CHANGED, tuple(reasons(row.inputs, now))
        names = tuple(dict.fromkeys(project.envelope(mapping.envelope).name for mapping, _ in drivers))
        follow = project.scene.follow_of(target)
        if follow is not None:
            followed, property_ = project.scene.resolve(follow.source)
            names = (f"follows {followed.name}, {property_.label.lower()}", *names)
        kept = None if values is None else np.asarray(values, dtype=np.float64)
        found.append(CurveState(target, part.name, item.label, names, state, why, kept))
    return found


def stale_count(studio: Studio, key: str, project: Project) -> int:
    """Count the curves that a bake would change."""
    baked = studio.projects.baked(key)
    wanted = driven(project.scene, project.mappings)
    fresh = sum(
        str(target) in baked
        and baked[str(target)].fingerprint == inputs_fingerprint(_inputs(project, target, drivers))
        and studio.derived.has(baked[str(target)].fingerprint)
        for target, drivers in wanted.items()
    )
    return len(wanted) - fresh


def bake_all(studio: Studio, levels: Levels, key: str, project: Project) -> tuple[Curve, ...]:
    """Bake every driven property and store the curves and what they were made of.

    Raises:
        NotAnalyzedYet: a track's features are still being read.
    """
    made = curves(levels, project)
    rows = {}
    drivers = driven(project.scene, project.mappings)
    for curve in made:
        inputs = _inputs(project, curve.target, drivers[curve.target])
        digest = inputs_fingerprint(inputs)
        if not studio.derived.has(digest):
            studio.derived.put(digest, curve.values)
        rows[str(curve.target)] = BakedRow(digest, inputs)
    studio.projects.set_baked(key, rows)
    return made


def baked_curves(studio: Studio, key: str, project: Project) -> tuple[Curve, ...]:
    """Give the curves as last baked, those of properties that are still driven."""
    found = []
    for state in states(studio, key, project):
        if state.values is not None:
            _, item = project.scene.resolve(state.target)
            found.append(Curve(state.target, state.part_name, state.label, item.unit, item.kind, state.values))
    return tuple(found)

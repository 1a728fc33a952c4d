"""Bake: dense curves stored under their fingerprints, with what they were made of, so that stale ones can say why."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.thin import Keys
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.derivation.keys_nodes import baked_node, keys_node
from fern_tide.core.derivation.node import Record, record_key
from fern_tide.core.derivation.words import reasons, record_texts, records_of
from fern_tide.core.document import Project
from fern_tide.workflows.derive.curves import stored_curves
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.studio import Studio


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
        digest: the fingerprint that they were baked under.
    """

    target: Target
    part_name: str
    label: str
    envelopes: tuple[str, ...]
    state: State
    reasons: tuple[str, ...]
    values: FloatArray | None
    digest: str | None = None


def keys_of(levels: Levels, state: CurveState, *, error_percent: float) -> Keys | None:
    """Give the keys of a baked curve, within a percentage of its range; None where it was never baked."""
    if state.values is None or state.digest is None:
        return None
    curve = baked_node(str(state.target), digest=state.digest, values=state.values)
    keys: Keys = levels.value(keys_node(curve, error_share=error_percent / 100))
    return keys


def states(
    studio: Studio, levels: Levels, key: str, project: Project, *, only: Target | None = None
) -> list[CurveState]:
    """List the driven properties, or only one, with the state of each curve's bake."""
    baked, graph = studio.projects.baked(key), levels.graph(project)
    known: dict[str, Record] = {}
    now: dict[str, Record] = {}
    curves = []
    for target, node in graph.curves.items():
        if only not in {None, target}:
            continue
        stack = graph.stacks[target]
        old = baked.get(str(target))
        values = studio.derived.get(old) if old else None
        why: tuple[str, ...] = ()
        if old is None or values is None:
            state = State.NEW
        elif old == node.fingerprint:
            state = State.FRESH
        else:
            known, now = known or _records(studio, key), now or records_of(graph.curves.values())
            state, why = State.CHANGED, tuple(reasons(record_key(old, node.id), node.key, known=known, now=now))
        names = tuple(dict.fromkeys(project.envelope(mapping.envelope).name for mapping, _ in graph.drivers[target]))
        if (ground := project.scene.grounds.get(target)) is not None:
            names = (ground.words, *names)
        stored = None if values is None else np.asarray(values, dtype=np.float64)
        curves.append(CurveState(target, stack.part.name, stack.item.label, names, state, why, stored, old))
    return curves


def _records(studio: Studio, key: str) -> dict[str, Record]:
    return {digest: Record.of(plain) for digest, plain in studio.projects.baked_records(key).items()}


def stale(studio: Studio, levels: Levels, key: str, project: Project) -> frozenset[Target]:
    """List the properties whose curves a bake would change."""
    baked, curves = studio.projects.baked(key), levels.graph(project).curves

    def is_fresh(target: Target, digest: str) -> bool:
        return baked.get(str(target)) == digest and studio.derived.has(digest)

    return frozenset(target for target, node in curves.items() if not is_fresh(target, node.fingerprint))


def stale_count(studio: Studio, levels: Levels, key: str, project: Project) -> int:
    """Count the curves that a bake would change."""
    return len(stale(studio, levels, key, project))


def bake_all(studio: Studio, levels: Levels, key: str, project: Project) -> tuple[Curve, ...]:
    """Bake every driven property and store the curves and what they were made of.

    Raises:
        NotAnalyzedYet: a track's features are still being read.
    """
    curves, nodes = levels.curves(project), levels.graph(project).curves
    for curve in curves:
        digest = nodes[curve.target].fingerprint
        if not studio.derived.has(digest):
            studio.derived.put(digest, curve.values)
    digests = {str(target): node.fingerprint for target, node in nodes.items()}
    studio.projects.set_baked(key, digests, record_texts(nodes.values()))
    return curves


def baked_curves(studio: Studio, levels: Levels, key: str, project: Project) -> tuple[Curve, ...]:
    """Give the curves as last baked, those of properties that are still driven."""
    return stored_curves(studio, levels, project, baked=studio.projects.baked(key))

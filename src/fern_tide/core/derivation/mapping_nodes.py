"""Nodes of mappings: what their steps know, and the lift after them."""

from __future__ import annotations

from typing import Any

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.derivation.node import Kind, Node, Sources, new_node
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.envelope import highest_row
from fern_tide.core.mapping.mapping import Mapping, followed, shaped_lift
from fern_tide.core.mapping.step import StepContext


def context_node(
    project: Project,
    mapping: Mapping,
    *,
    joined: tuple[Node, ...],
    hits: Node | None,
    beats: Node | None,
    track: Track | None,
) -> Node:
    """Give the node of what a mapping's steps know: hits, beats, markers and other levels where one asks for them.

    Args:
        project: its rate and markers.
        mapping: whose steps.
        joined: the levels that its steps use.
        hits: the hits that its steps go by: a track's hits and beats, or an envelope's own hits.
        beats: the project's beat grid.
        track: the one whose hits they are; None of an envelope's own, which are in seconds of the project.
    """
    working = [choice for choice in mapping.steps if choice.on]
    times = [marker.time_s for marker in project.markers] if mapping.needs_markers else []
    seed = mapping.seed if any(choice.spec.draws for choice in working) else 0
    offset_s = float(track.offset) if track is not None else 0.0
    names = [node.id for node in joined]

    def work(values: list[Any], sources: Sources) -> StepContext:
        rest = iter(values[len(names) :])
        known: dict[str, Any] = {}
        if hits is not None:
            given = next(rest)
            these = given if hits.kind is Kind.HITS else given[0]
            known["hit_frames"] = project.rate.frames_of_times(these.times_s + offset_s)
            known["hit_strengths"] = these.strengths
        if beats is not None:
            known["beat_times_s"] = next(rest).times_s
        if times:
            known["marker_frames"] = project.rate.frames_of_times(np.array(times))
        levels = {name: highest_row(level) for name, level in zip(names, values, strict=False)}
        return StepContext(rate=project.rate, seed=seed, levels=levels, **known)

    facts = {"rate": str(project.rate), "seed": seed, "markers": times, "offset": offset_s, "joined": names}
    inputs = (*joined, *(node for node in (hits, beats) if node is not None))
    return new_node(Kind.CONTEXT, mapping.id, name=mapping.name, inputs=inputs, facts=facts, work=work)


def lift_node(mapping: Mapping, level: Node, context: Node) -> Node:
    """Give the node of a mapping's lift after its steps, shape (frames,), or (rows, frames) where it is spread."""
    working = [choice for choice in mapping.steps if choice.on]
    facts = {
        "marks": mapping.marks.model_dump(mode="json"),
        "steps": [choice.model_dump(mode="json") for choice in working],
        "versions": [choice.spec.version for choice in working],
        "row": 0 if mapping.spread else mapping.row,
        "spread": mapping.spread,
    }

    def work(values: list[Any], sources: Sources) -> FloatArray:
        return shaped_lift(followed(values[0], mapping), mapping, context=values[1])

    return new_node(Kind.LIFT, mapping.id, name=mapping.name, inputs=(level, context), facts=facts, work=work)

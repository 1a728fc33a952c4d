"""Nodes of touch-ups: what edits by hand make of a curve, wherever in time they lie."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from operator import is_
from typing import Any

import numpy as np

from fern_tide.core.bake.bake import Stack
from fern_tide.core.bake.pieces import can_be_touched
from fern_tide.core.bake.touch_up import VERSION, Laid, TiedTo, TouchUp, touched
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.derivation.node import Kind, Node, Sources, new_node
from fern_tide.core.document import Project, Track


@dataclass(frozen=True)
class Touching:
    """What a touch-up is laid by.

    Attributes:
        touch_up: which; it is switched on.
        rhythm: the node of the hits that it is tied to; None where it is tied to none.
        offset_s: when their track begins.
        marker_s: when the marker is that it is tied to; None where there is none.
    """

    touch_up: TouchUp
    rhythm: Node | None = None
    offset_s: float = 0.0
    marker_s: float | None = None

    @property
    def facts(self) -> dict[str, Any]:
        """All that its values depend on but those of hits."""
        return {**self.touch_up.facts, "offset": self.offset_s, "marker": self.marker_s}

    @property
    def moments(self) -> tuple[object, ...]:
        """What it is tied to: where that is the very same, the touch-up begins when it did."""
        return (self.rhythm, self.offset_s, self.marker_s)

    def laid(self, hit_times_s: FloatArray | None) -> Laid:
        """Give it where it lies in time, by the hits of its track, in the track's own seconds."""
        times = hit_times_s
        if self.touch_up.start.tied_to is not TiedTo.HIT:
            times = None if self.marker_s is None else np.array([self.marker_s])
        return Laid(self.touch_up, self.touch_up.began_s(times_s=times, offset_s=self.offset_s))


def touched_node(
    stack: Stack, below: Node | None, sources: tuple[Node, ...], *, touchings: tuple[Touching, ...], project: Project
) -> Node:
    """Give the node of a property's values with its touch-ups.

    Args:
        stack: what gives the property its values, with its limit.
        below: the node of what they are laid over; None where keys for good hide it.
        sources: the curves that its ground is made of, of which follows where it rests.
        touchings: in the order in which they are laid.
        project: its rate and length.
    """
    rhythms = tuple(dict.fromkeys(one.rhythm for one in touchings if one.rhythm is not None))
    inputs = (*(() if below is None else (below, *sources)), *rhythms)
    facts = {
        "version": VERSION,
        "rate": str(project.rate),
        "n_frames": project.n_frames,
        "touch_ups": [one.facts for one in touchings],
        "limit": None if stack.limit is None else [stack.limit.low, stack.limit.high],
    }

    def work(values: list[Any], files: Sources) -> FloatArray:
        over = list(zip(inputs, values, strict=True))
        return stack.limited(lay(stack, over, touchings=touchings, project=project)[0])

    name = f"{stack.part.name}, {stack.item.label.lower()}"
    return new_node(Kind.CURVE, str(stack.target), name=name, inputs=inputs, facts=facts, work=work)


def lay(
    stack: Stack, inputs: Sequence[tuple[Node, Any]], *, touchings: Sequence[Touching], project: Project
) -> tuple[FloatArray, list[FloatArray], list[Laid]]:
    """Lay touch-ups over a property's values.

    Args:
        stack: what gives the property its values.
        inputs: the nodes that its own node is made of, each with its value.
        touchings: in the order in which they are laid.
        project: its rate and length.

    Returns:
        The values before limits, what lies below each touch-up in its stretch, and where each lies in time.
    """
    below = next((value for node, value in inputs if node.kind is Kind.STACK), None)
    hits = {node: value[0].times_s for node, value in inputs if node.kind is Kind.RHYTHM}
    laid = [one.laid(None if one.rhythm is None else hits[one.rhythm]) for one in touchings]
    if below is None:
        shape = (3, project.n_frames) if stack.item.kind == "colour" else project.n_frames
        rest = below = np.zeros(shape)
    else:
        rest = stack.rest(sources=[value for node, value in inputs if node.kind is Kind.CURVE])
    return (*touched(below, laid, rest=rest, rate=project.rate), laid)


def touching_of(project: Project, touch_up: TouchUp, *, rhythm: Node | None) -> Touching:
    """Give what a touch-up of a project is laid by.

    Args:
        project: its tracks and markers.
        touch_up: which.
        rhythm: the hits of the track that it is tied to, if there is one.
    """
    start = touch_up.start
    marker = next((item.time_s for item in project.markers if item.id == start.id), None)
    offset = float(project.track(start.id).offset) if rhythm is not None and start.id else 0.0
    return Touching(touch_up, rhythm, offset, marker if start.tied_to is TiedTo.MARKER else None)


def tied_track(project: Project, touch_up: TouchUp) -> Track | None:
    """Give the track whose hit a touch-up is tied to; None where it is tied to none, or that is gone."""
    if touch_up.start.tied_to is not TiedTo.HIT:
        return None
    return next((track for track in project.tracks if track.id == touch_up.start.id), None)


def laid_touch_ups(project: Project) -> dict[Target, list[TouchUp]]:
    """Give the touch-ups that are laid over each property, in their order: those that are on, from keys for good on."""
    touch_ups: dict[Target, list[TouchUp]] = {}
    can_be = cache(lambda target: can_be_touched(project.scene, target))
    for one in project.touch_ups:
        if one.touch.on and can_be(one.target):
            before = [] if one.replaces_all else touch_ups.get(one.target, [])
            touch_ups[one.target] = [*before, one]
    return touch_ups


def touched_otherwise(before: Mapping[Target, list[TouchUp]], now: Mapping[Target, list[TouchUp]]) -> list[Target]:
    """List the properties whose touch-ups are not the very same, or are tied to what may have moved."""
    return [
        target
        for target in {**before, **now}
        if not _same(before.get(target, []), now.get(target, []))
        or any(one.start.id is not None for one in now[target])
    ]


def _same(one: list[TouchUp], other: list[TouchUp]) -> bool:
    return len(one) == len(other) and all(map(is_, one, other))

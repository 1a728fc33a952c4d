"""Touching up: new touch-ups, and what becomes of them when the ground moves."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from fern_tide.core.bake.bake import Stack
from fern_tide.core.bake.pieces import can_be_touched
from fern_tide.core.bake.touch import Stretch
from fern_tide.core.bake.touch_up import (
    TOUCHES,
    Laid,
    Start,
    TiedTo,
    TouchChoice,
    TouchUp,
    ground_moved,
    ground_text,
    ground_values,
)
from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.params import build
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.commands.command import by_id, next_number
from fern_tide.core.commands.touch_ups import PutTouchUps, check_touched
from fern_tide.core.derivation.keys_nodes import range_of
from fern_tide.core.derivation.touch_nodes import lay
from fern_tide.core.document import Project
from fern_tide.workflows.derive.levels import Levels

MOVED_PERCENT = 5.0
"""How far the ground under a touch-up may move unsaid, of the curve's range."""


@dataclass(frozen=True)
class TouchedCurve:
    """A property's curve with its touch-ups.

    Attributes:
        stack: what gives it its values.
        values: the curve as it is now, with its limits, shape (frames,), or (3, frames) for a colour.
        below: the same before its touch-ups; the very same where it has none.
        laid: the touch-ups that are on, each with what lies below it in its stretch.
    """

    stack: Stack
    values: FloatArray
    below: FloatArray
    laid: tuple[tuple[Laid, FloatArray], ...]

    @property
    def range(self) -> float:
        """What a share of the curve is of."""
        return range_of(self.values)


def touched_curve(levels: Levels, project: Project, target: Target) -> TouchedCurve:
    """Give a property's curve as it is now, driven or not, with its touch-ups.

    Raises:
        UnknownName: there is no such property.
        NotReadYet: a sound is still being read.
    """
    project.scene.resolve(target)
    graph = levels.graph(project)
    node = graph.curves.get(target) or graph.curves_of([target])[target]
    stack, values = graph.stacks[target], np.asarray(levels.value(node))
    touch_ups = graph.touch_ups.get(target, [])
    if not touch_ups:
        return TouchedCurve(stack, values, values, ())
    inputs = [(item, levels.value(item)) for item in node.inputs]
    touchings = [graph.touching(one) for one in touch_ups]
    _, grounds, laid = lay(stack, inputs, touchings=touchings, project=project)
    below = next((value for item, value in inputs if item.kind == "stack"), values)
    return TouchedCurve(stack, values, stack.limited(np.asarray(below)), tuple(zip(laid, grounds, strict=True)))


# --- new ones


@dataclass(frozen=True)
class Wanted:
    """What a hand wants of a stretch.

    Attributes:
        target: the property.
        kind: of the touch-up.
        first: the first frame.
        end: the one after the last.
        tied_to: what it is to stay with: the nearest one of its kind before its middle, or else after it.
        options: of the kind, as far as they differ from what a new one begins with.
    """

    target: Target
    kind: str
    first: int
    end: int
    tied_to: TiedTo = TiedTo.TIME
    options: Mapping[str, Any] | None = None


def new_touch_up(levels: Levels, project: Project, wanted: Wanted) -> TouchUp:
    """Give a touch-up that begins well: its value that of the curve, its ends as soft as its kind's are.

    Raises:
        InvalidParameter: the stretch lies outside the project or has no frames, or the kind is none for a colour.
        FernTideError: there is nothing to tie it to.
    """
    spec, n_frames = TOUCHES[wanted.kind], project.n_frames
    if not 0 <= wanted.first < wanted.end <= n_frames:
        raise InvalidParameter(
            "stretch", value=f"{wanted.first} to {wanted.end}", allowed=f"frames of the project, 0 to {n_frames}"
        )
    curve = touched_curve(levels, project, wanted.target)
    rest = curve.stack.rest(sources=[]) if curve.stack.ground is None else curve.below
    stretch = Stretch(curve.values, rest, wanted.first, wanted.end, wanted.first, project.rate)
    if curve.values.ndim > 1 and not spec.colours:
        raise InvalidParameter(spec.label, value="a colour", allowed="a number's curve")
    params = build(spec.params, {**spec.begins(stretch), **(wanted.options or {})})
    length = _seconds(project, wanted.end - wanted.first)
    touch_up = TouchUp(
        id=f"touch-up-{next_number(project.touch_ups, 'touch-up')}",
        target=wanted.target,
        start=_start(levels, project, wanted),
        length_s=length,
        fade_in_s=length * spec.soft,
        fade_out_s=length * spec.soft,
        touch=TouchChoice(id=wanted.kind, params=params),
        ground=ground_text(curve.values[..., wanted.first : wanted.end]),
    )
    check_touched(project, touch_up)
    return touch_up


def _seconds(project: Project, frames: int) -> float:
    return float(project.rate.seconds(frames))


def _start(levels: Levels, project: Project, wanted: Wanted) -> Start:
    """Give when a stretch begins, tied to what lies nearest before its middle, or the first one after."""
    begins = _seconds(project, wanted.first)
    if wanted.tied_to is TiedTo.TIME:
        return Start(at_s=begins)
    middle = (begins + _seconds(project, wanted.end)) / 2
    if wanted.tied_to is TiedTo.MARKER:
        known = [(marker.time_s, marker.id, 0.0) for marker in project.markers]
    else:
        track = _hit_track(project, wanted.target)
        hits = levels.rhythm(project, project.track(track))[0].times_s if track else np.zeros(0)
        offset = float(project.track(track).offset) if track else 0.0
        known = [(float(time) + offset, track, offset) for time in hits]
    if not known:
        raise FernTideError(
            f"There is no {wanted.tied_to} to tie it to.", remedy="Tie it to its time, or add one in the Sound room."
        )
    before = [item for item in known if item[0] <= middle]
    at, id_, offset = max(before, key=lambda item: item[0]) if before else min(known, key=lambda item: item[0])
    return Start(tied_to=wanted.tied_to, id=id_, at_s=at - offset, after_s=begins - at)


def _hit_track(project: Project, target: Target) -> str:
    """Give the track whose hits move a property; else the one whose beats are found; '' without tracks."""
    for mapping in project.mappings:
        envelope = project.envelope(mapping.envelope)
        if not mapping.muted and envelope.track and any(drive.target == target for drive in mapping.drives):
            return envelope.track
    return project.beat_track.id if project.beat_track else ""


def restretched(levels: Levels, project: Project, touch_up: TouchUp, *, first: int, end: int) -> TouchUp:
    """Give a touch-up over another stretch, on the ground that lies there; its fades stay within it."""
    if not 0 <= first < end <= project.n_frames:
        raise InvalidParameter("stretch", value=f"{first} to {end}", allowed=f"frames 0 to {project.n_frames}")
    wanted = Wanted(touch_up.target, touch_up.touch.id, first, end, touch_up.start.tied_to)
    length = _seconds(project, end - first)
    moved = touch_up.but(
        start=_start(levels, project, wanted),
        length_s=length,
        fade_in_s=min(touch_up.fade_in_s, length),
        fade_out_s=min(touch_up.fade_out_s, length),
        ground="",
    )
    return on_its_ground(levels, project, moved)


def on_its_ground(levels: Levels, project: Project, touch_up: TouchUp) -> TouchUp:
    """Give a touch-up with what lies below it now as its ground."""
    known = by_id(project.touch_ups, touch_up.id)
    with_it = PutTouchUps(touch_ups=(touch_up.but(touch=touch_up.touch.but(on=True)),))
    curve = touched_curve(levels, with_it.apply(project) if known else project, touch_up.target)
    below = next((ground for laid, ground in curve.laid if laid.touch_up.id == touch_up.id), curve.values[..., :0])
    return touch_up.but(ground=ground_text(below))


# --- how they stand


@dataclass(frozen=True)
class Standing:
    """How a touch-up stands.

    Attributes:
        touch_up: which.
        first: its first frame, and `end` the one after its last; as it was made where its part is gone.
        moved_percent: how far its ground moved, of the curve's range.
        wrong: what keeps it from doing anything, as a sentence; '' where it works or is switched off.
    """

    touch_up: TouchUp
    first: int
    end: int
    moved_percent: float = 0.0
    wrong: str = ""


def standings(levels: Levels, project: Project, *, only: Target | None = None) -> list[Standing]:
    """Say of every touch-up, or those of one property, where it lies and how far its ground moved."""
    wanted = [one for one in project.touch_ups if only in {None, one.target}]
    curves: dict[Target, TouchedCurve] = {}
    for target in {one.target for one in wanted}:
        if can_be_touched(project.scene, target):
            curves[target] = touched_curve(levels, project, target)
    return [_standing(project, one, curves.get(one.target)) for one in wanted]


def _standing(project: Project, touch_up: TouchUp, curve: TouchedCurve | None) -> Standing:
    laid = Laid(touch_up, touch_up.began_s())
    if curve is None:
        return Standing(touch_up, *laid.frames(project.rate), wrong="What it touches up is not on the stage any more.")
    mine = next((pair for pair in curve.laid if pair[0].touch_up is touch_up), None)
    if mine is None:
        hidden = touch_up.touch.on and any(one.touch_up.replaces_all for one, _ in curve.laid)
        return Standing(touch_up, *laid.frames(project.rate), wrong="Keys for good hide it." if hidden else "")
    laid, below = mine
    first, end = laid.inside(project.rate, project.n_frames)
    if first >= end:
        return Standing(touch_up, *laid.frames(project.rate), wrong="It lies outside the project.")
    moved = 0.0 if touch_up.replaces_all else 100 * ground_moved(touch_up.ground, below) / curve.range
    return Standing(touch_up, *laid.frames(project.rate), moved_percent=moved)


@dataclass(frozen=True)
class Comparison:
    """What lay below a touch-up and what lies there now, shape (rows, values) each, and its frames.

    Where nothing is known of before, `before` is empty.
    """

    first: int
    end: int
    before: FloatArray
    now: FloatArray


def compare(levels: Levels, project: Project, touch_up: TouchUp) -> Comparison:
    """Give the ground of a touch-up before and now.

    Raises:
        FernTideError: it lies nowhere.
    """
    curve = touched_curve(levels, project, touch_up.target)
    for laid, below in curve.laid:
        if laid.touch_up is touch_up and below.shape[-1]:
            now = np.atleast_2d(below)
            before = ground_values(touch_up.ground, rows=len(now))
            first, end = laid.inside(project.rate, project.n_frames)
            return Comparison(first, end, np.zeros((len(now), 0)) if before is None else before, now)
    raise FernTideError("It changes nothing now.", remedy="Switch it on, or remove it.")

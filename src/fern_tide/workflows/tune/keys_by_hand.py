"""Keys that a hand edits: they become a touch-up, so that the rest of the curve still follows the sound."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from math import ceil, floor

import numpy as np

from fern_tide.core.bake.thin import Interpolation, Keys, thin
from fern_tide.core.bake.touch_up import Laid, TouchChoice, TouchUp
from fern_tide.core.bake.touch_ups.keys import HandKey, KeysParams
from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.target import Target
from fern_tide.core.derivation.keys_nodes import keys_node
from fern_tide.core.document import Project
from fern_tide.core.mapping.colour import colour_texts
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.tune.touching import TouchedCurve, Wanted, new_touch_up, restretched, touched_curve

_DRAWN_NEAR = 0.02  # of the curve's range, or of the hand's: how far keys may lie from what a hand drew


@dataclass(frozen=True)
class KeyEdit:
    """What a hand does to keys of a curve.

    Attributes:
        target: the property.
        frames: those of the keys that it is done to.
        by_frames: how much later they come.
        by_value: how much higher, in the property's unit.
        remove: they go.
        add: keys that come in, as frame and value.
        slope: what the tangents of the keys become, per frame; None leaves them.
        interpolation: what lies between the keys; None leaves that as it is, or linear.
    """

    target: Target
    frames: Sequence[float] = ()
    by_frames: float = 0.0
    by_value: float = 0.0
    remove: bool = False
    add: Sequence[tuple[float, float]] = ()
    slope: float | None = None
    interpolation: Interpolation | None = None


def edited_keys(levels: Levels, project: Project, edit: KeyEdit) -> TouchUp:
    """Give the touch-up that keys become when a hand edits some: it lies from the key before them to the one after.

    Keys in the stretch of one that is there are edited in it; it grows where the hand goes beyond it.

    Raises:
        FernTideError: no key is there, or the curve is a colour's.
    """
    curve = touched_curve(levels, project, edit.target)
    if curve.values.ndim > 1:
        raise FernTideError(
            "The keys of a colour are not edited one by one.", remedy="Hold it at a colour, or scale it."
        )
    keys = shown_keys(levels, project, edit.target)
    touched = [*edit.frames, *(frame for frame, _ in edit.add), *(frame + edit.by_frames for frame in edit.frames)]
    if not touched:
        raise FernTideError("No key is chosen.", remedy="Click one, or drag over several.")
    low, high = _stretch_of(keys, min(touched), max(touched))
    under = next((one for one in _drawn_on_top(curve, project) if _overlap(one, project, touched)), None)
    if under is not None:
        first, end = under.inside(project.rate, project.n_frames)
        low, high = min(low, first), max(high, end - 1)
    slopes = {frame: slope for frame, _, slope in _hand_keys(under, project)} if under else {}
    inside = _edited(keys, edit, (low, high), slopes=slopes)
    interpolation = edit.interpolation or (_params(under.touch_up).interpolation if under else Interpolation.LINEAR)
    fps = project.rate.per_second
    hand = [
        HandKey(at_s=(frame - low) / fps, value=value, slope=None if slope is None else slope * fps)
        for frame, value, slope in inside
    ]
    options = KeysParams(keys=tuple(hand), interpolation=interpolation)
    first, end = max(0, round(low)), min(project.n_frames, round(high) + 1)
    if under is None:
        return new_touch_up(levels, project, Wanted(edit.target, "keys", first, end, options=options.model_dump()))
    grown = under.touch_up.but(touch=TouchChoice(id="keys", params=options))
    return restretched(levels, project, grown, first=first, end=end)


def shown_keys(levels: Levels, project: Project, target: Target) -> Keys:
    """Give the keys of a curve as it is now: the fewest within the project's error, and a hand's own where it drew."""
    graph = levels.graph(project)
    node = graph.curves.get(target) or graph.curves_of([target])[target]
    keys: Keys = levels.value(keys_node(node, error_share=project.keys_error_percent / 100))
    curve = touched_curve(levels, project, target)
    if curve.values.ndim > 1:
        return keys
    rows = dict(zip(keys.frames.tolist(), keys.values.tolist(), strict=True))
    for laid in _drawn_on_top(curve, project):
        first, end = laid.inside(project.rate, project.n_frames)
        rows = {frame: value for frame, value in rows.items() if not first <= frame < end}
        rows |= {frame: value for frame, value, _ in _hand_keys(laid, project)}
    frames = np.array(sorted(rows))
    values = np.array([rows[frame] for frame in frames.tolist()])
    return Keys(frames, values, np.zeros_like(values), keys.error)


def _drawn_on_top(curve: TouchedCurve, project: Project) -> list[Laid]:
    """List the touch-ups of keys over which no other one lies: their own keys are what is seen and edited."""
    spans = [laid.inside(project.rate, project.n_frames) for laid, _ in curve.laid]
    return [
        laid
        for at, (laid, _) in enumerate(curve.laid)
        if isinstance(laid.touch_up.touch.params, KeysParams)
        and not any(first < spans[at][1] and spans[at][0] < end for first, end in spans[at + 1 :])
    ]


def _overlap(laid: Laid, project: Project, touched: Sequence[float]) -> bool:
    first, end = laid.inside(project.rate, project.n_frames)
    return first <= max(touched) and min(touched) <= end - 1


def _hand_keys(laid: Laid, project: Project) -> list[tuple[float, float, float | None]]:
    """Give a hand's own keys as frame, value and slope per frame."""
    fps = project.rate.per_second
    return [
        (
            round((laid.began_s + key.at_s) * fps, 6),
            float(key.value),
            None if key.slope is None else key.slope / fps,
        )
        for key in _params(laid.touch_up).keys
    ]


def _stretch_of(keys: Keys, low: float, high: float) -> tuple[float, float]:
    """Give the frames of the keys around some that a hand touches."""
    before, after = keys.frames[keys.frames < low], keys.frames[keys.frames > high]
    return float(before[-1]) if len(before) else float(low), float(after[0]) if len(after) else float(high)


def _params(touch_up: TouchUp) -> KeysParams:
    params = touch_up.touch.params
    assert isinstance(params, KeysParams)
    return params


def _edited(
    keys: Keys, edit: KeyEdit, stretch: tuple[float, float], *, slopes: Mapping[float, float | None]
) -> list[tuple[float, float, float | None]]:
    """Give the keys in a stretch as a hand leaves them: frame, value and slope, each frame once; a later one wins."""
    low, high = stretch
    chosen = {round(float(frame), 6) for frame in edit.frames}
    rows: dict[float, tuple[float, float | None]] = {}
    moved: dict[float, tuple[float, float | None]] = {}
    for frame, value in zip(keys.frames.tolist(), keys.values.tolist(), strict=True):
        if round(frame, 6) not in chosen:
            if low <= frame <= high:
                rows[frame] = (value, slopes.get(round(frame, 6)))
        elif not edit.remove:
            slope = slopes.get(round(frame, 6)) if edit.slope is None else edit.slope
            moved[frame + edit.by_frames] = (value + edit.by_value, slope)
    rows |= moved | {frame: (value, None) for frame, value in edit.add}
    return [(frame, *rows[frame]) for frame in sorted(rows)]


def drawn(levels: Levels, project: Project, target: Target, *, points: Sequence[tuple[float, float]]) -> TouchUp:
    """Give what a hand drew over a curve as keys: as few as stay near what it drew.

    Args:
        levels: of its sounds.
        project: whose curve.
        target: the property.
        points: of the hand's way as frame and value, one after the other; where it goes back, what comes later counts.

    Raises:
        FernTideError: it is no way over two frames or more, or the curve is a colour's.
    """
    inside = _way_of(points, project.n_frames)
    if len(inside) < 2:
        raise FernTideError("Nothing was drawn.", remedy="Drag over two frames or more.")
    curve = touched_curve(levels, project, target)
    if curve.values.ndim > 1:
        raise FernTideError("A colour is not drawn as a line.", remedy="Hold it at a colour, or scale it.")
    first, end = min(inside), max(inside) + 1
    way = np.array([inside[frame] for frame in range(first, end)])
    few = thin(way, tolerance=_DRAWN_NEAR * max(curve.range, float(np.ptp(way))))
    fps = project.rate.per_second
    hand = [{"at_s": float(at) / fps, "value": float(value)} for at, value in zip(few.frames, few.values, strict=True)]
    return new_touch_up(levels, project, Wanted(target, "keys", first, end, options={"keys": hand}))


def _way_of(points: Sequence[tuple[float, float]], n_frames: int) -> dict[int, float]:
    """Give the value at every frame that a hand went over, without gaps."""
    values: dict[int, float] = {}
    for (frame, value), (to_frame, to_value) in pairwise(points):
        low, high = sorted((frame, to_frame))
        for at in range(max(0, ceil(low)), min(n_frames - 1, floor(high)) + 1):
            share = (at - frame) / (to_frame - frame) if to_frame != frame else 1.0
            values[at] = value + share * (to_value - value)
    return values


def for_good(levels: Levels, project: Project, target: Target) -> TouchUp:
    """Give the keys of a curve as it is now as ones that are all there is: the sound moves it no more.

    Raises:
        FernTideError: they are for good already.
    """
    curve = touched_curve(levels, project, target)
    if any(laid.touch_up.replaces_all for laid, _ in curve.laid):
        raise FernTideError("Its keys are for good already.", remedy="Let the sound move it again first.")
    keys, fps = shown_keys(levels, project, target), project.rate.per_second
    colours = colour_texts(keys.values) if curve.values.ndim > 1 else None
    hand = [
        {"at_s": float(frame) / fps, "value": float(keys.values[at]) if colours is None else colours[at]}
        for at, frame in enumerate(keys.frames)
    ]
    wanted = Wanted(target, "keys", 0, project.n_frames, options={"keys": hand, "for_good": True})
    return new_touch_up(levels, project, wanted)

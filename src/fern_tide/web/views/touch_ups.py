"""What the Hand-off shows of touch-ups: each in words, where it lies, and whether its ground moved."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fern_tide.core.bake.pieces import can_be_touched
from fern_tide.core.bake.touch import Touch
from fern_tide.core.bake.touch_up import TOUCHES, TiedTo, TouchUp
from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.params import FieldSpec, fields
from fern_tide.core.base.target import Target
from fern_tide.core.commands.touch_ups import curve_name
from fern_tide.core.derivation.node import NotReadYet
from fern_tide.core.document import Project
from fern_tide.web.context import services
from fern_tide.workflows.tune.touching import MOVED_PERCENT, Standing, standings


@dataclass(frozen=True)
class TouchRow:
    """A touch-up in the list.

    Attributes:
        touch_up: which.
        words: what it does.
        curve: the name of what it touches up.
        first: its first frame, and `last` its last.
        tie: what it is tied to, in words; '' for its time.
        moved: how far its ground moved, in words; '' where that is less than is asked for.
        wrong: why it does nothing, in words.
        fields: of its kind that can be set here, each with its value.
    """

    touch_up: TouchUp
    words: str
    curve: str
    first: int
    last: int
    tie: str
    moved: str
    wrong: str
    fields: list[tuple[FieldSpec, object]]


@dataclass(frozen=True)
class TouchUpsView:
    """The list of touch-ups.

    Attributes:
        rows: those of the curve that is shown.
        elsewhere: those of other curves whose ground moved, or that do nothing.
        n_elsewhere: how many there are on other curves.
        kinds: what can be done to a stretch of this curve.
        moved_percent: how far a ground may move unsaid.
        for_good: the id of the one that makes this curve keys for good; '' where the sound moves it.
        touchable: whether the shown property can be touched up.
        ties: what a touch-up can be tied to.
    """

    rows: list[TouchRow]
    elsewhere: list[TouchRow]
    n_elsewhere: int
    kinds: Sequence[Touch]
    moved_percent: float
    for_good: str
    touchable: bool
    ties: Sequence[TiedTo] = tuple(TiedTo)


def touch_ups_view(project: Project, target: Target | None, *, moved_percent: float = MOVED_PERCENT) -> TouchUpsView:
    """Give the list of touch-ups, those of one property first.

    Args:
        project: whose.
        target: the property whose curve is shown.
        moved_percent: how far a ground may move unsaid, of a curve's range.
    """
    try:
        known = standings(services().levels, project)
    except NotReadYet:
        known = [Standing(one, 0, 0, wrong="The sound is still being read.") for one in project.touch_ups]
    rows = [_row(project, one, moved_percent) for one in known]
    mine = [row for row in rows if row.touch_up.target == target]
    others = [row for row in rows if row.touch_up.target != target]
    touchable = target is not None and can_be_touched(project.scene, target)
    colour = touchable and target is not None and project.scene.resolve(target)[1].kind == "colour"
    return TouchUpsView(
        rows=mine,
        elsewhere=[row for row in others if row.moved or row.wrong],
        n_elsewhere=len(others),
        kinds=[kind for kind in TOUCHES.values() if kind.colours or not colour],
        moved_percent=moved_percent,
        for_good=next((row.touch_up.id for row in mine if row.touch_up.replaces_all), ""),
        touchable=touchable,
    )


def _row(project: Project, one: Standing, moved_percent: float) -> TouchRow:
    touch_up, spec = one.touch_up, one.touch_up.touch.spec
    colour = _is_colour(project, touch_up)
    shown = [field for field in fields(spec.params) if _is_shown(field, colour=colour)]
    moved = one.moved_percent > moved_percent
    return TouchRow(
        touch_up=touch_up,
        words=spec.words(touch_up.touch.params) if not (colour and touch_up.touch.id == "hold") else "held at a colour",
        curve=curve_name(project, touch_up),
        first=one.first,
        last=one.end - 1,
        tie=_tie(project, touch_up),
        moved=f"the ground moved by {one.moved_percent:.0f} %" if moved else "",
        wrong=one.wrong,
        fields=[(field, getattr(touch_up.touch.params, field.name)) for field in shown],
    )


def _is_colour(project: Project, touch_up: TouchUp) -> bool:
    try:
        return project.scene.resolve(touch_up.target)[1].kind == "colour"
    except FernTideError:
        return False


def _is_shown(field: FieldSpec, *, colour: bool) -> bool:
    if field.kind == "colour" or field.name == "value":
        return (field.kind == "colour") is colour
    return field.kind in {"number", "integer", "choice"}


def _tie(project: Project, touch_up: TouchUp) -> str:
    start = touch_up.start
    if start.tied_to is TiedTo.MARKER:
        name = next((marker.name for marker in project.markers if marker.id == start.id), "a marker that is gone")
        return f"tied to {name}"
    if start.tied_to is TiedTo.HIT:
        track = next((track.name for track in project.tracks if track.id == start.id), "a track that is gone")
        return f"tied to the hit at {start.at_s:.2f} s of {track}"
    return ""

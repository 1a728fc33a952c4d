"""Edits of touch-ups: what a hand does to curves."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from fern_tide.core.bake.pieces import can_be_touched
from fern_tide.core.bake.touch_up import MOST_TOUCH_UPS, TouchUp
from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.limits import Most
from fern_tide.core.base.target import Id
from fern_tide.core.commands.command import Command, by_id, put
from fern_tide.core.document import Project


class PutTouchUps(Command, frozen=True):
    """Lay touch-ups over curves, or change those of the same ids."""

    kind: Literal["put_touch_ups"] = "put_touch_ups"
    touch_ups: Annotated[tuple[TouchUp, ...], Field(min_length=1), Most(MOST_TOUCH_UPS)]

    def label(self, before: Project) -> str:
        first, more = self.touch_ups[0], len(self.touch_ups) - 1
        what = f"{curve_name(before, first)}{f' and {more} more' if more else ''}"
        old = by_id(before.touch_ups, first.id)
        if old is None:
            return f"{first.touch.spec.label}: {what}"
        if old.touch.on != first.touch.on:
            return f"Switch a touch-up of {what} {'on' if first.touch.on else 'off'}"
        if old.but(ground="") == first.but(ground=""):
            return f"Take the ground as it is: {what}"
        return f"{'Tune' if old.touch != first.touch else 'Move'} a touch-up of {what}"

    def apply(self, project: Project) -> Project:
        touch_ups = project.touch_ups
        for one in self.touch_ups:
            old = by_id(touch_ups, one.id)
            if old is None or old.target != one.target:
                check_touched(project, one)
            touch_ups = put(touch_ups, one)
        return project.but(touch_ups=touch_ups)


class RemoveTouchUps(Command, frozen=True):
    """Take touch-ups off; the curves are what the sound makes of them again."""

    kind: Literal["remove_touch_ups"] = "remove_touch_ups"
    ids: Annotated[tuple[Id, ...], Field(min_length=1), Most(MOST_TOUCH_UPS)]

    def label(self, before: Project) -> str:
        first = before.touch_up(self.ids[0])
        if len(self.ids) > 1:
            return f"Remove {len(self.ids)} touch-ups"
        words = "Let the sound move" if first.replaces_all else "Remove a touch-up of"
        return f"{words} {curve_name(before, first)}"

    def apply(self, project: Project) -> Project:
        gone = {project.touch_up(id_).id for id_ in self.ids}
        return project.but(touch_ups=tuple(one for one in project.touch_ups if one.id not in gone))


def curve_name(project: Project, touch_up: TouchUp) -> str:
    """Name the property that a touch-up is of; by its ids where that is gone."""
    if not can_be_touched(project.scene, touch_up.target):
        return str(touch_up.target)
    part, item = project.scene.resolve(touch_up.target)
    return f"{part.name}, {item.label.lower()}"


def check_touched(project: Project, touch_up: TouchUp) -> None:
    """Refuse a touch-up that could do nothing.

    Raises:
        UnknownName: its property is not there.
        FernTideError: that is one of an array's pieces.
        InvalidParameter: it is of a kind that touches up no such property.
    """
    part, item = project.scene.resolve(touch_up.target)
    if not can_be_touched(project.scene, touch_up.target):
        raise FernTideError(
            f"{part.name}, {item.label.lower()} is that of many pieces, and none of them has a curve of its own.",
            remedy="Touch up what its array follows, or one of its sizes.",
        )
    if item.kind == "colour" and not touch_up.touch.spec.colours:
        raise InvalidParameter(touch_up.touch.spec.label, value="a colour", allowed="a number's curve")

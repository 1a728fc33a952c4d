"""Edits of one place inside a thing of the document: a field that is set, or an entry of a list."""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum
from typing import Annotated, Any, Literal

from pydantic import Field

from fern_tide.core.base.errors import FernTideError, InvalidParameter, UnknownName
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.target import Id
from fern_tide.core.commands.command import Command, Indirect, by_id
from fern_tide.core.commands.mapping import PutMapping
from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.commands.scene import PutPart
from fern_tide.core.commands.soundtrack import PutMarker, PutTrack
from fern_tide.core.commands.touch_ups import PutTouchUps
from fern_tide.core.document import Project

MOST_ENTRIES = 400

Path = Annotated[str, Field(pattern=r"^[a-z_0-9]+(\.[a-z_0-9]+)*$", max_length=200)]
"""A place inside a thing, such as 'drives.0.response.params.exponent'."""


class Owner(StrEnum):
    """What kind of thing a field belongs to."""

    MAPPING = "mapping"
    ENVELOPE = "envelope"
    TRACK = "track"
    MARKER = "marker"
    PART = "part"
    TOUCH_UP = "touch_up"


def _owned(project: Project, owner: Owner, wanted: str) -> Frozen:
    """Give the thing of an id.

    Raises:
        UnknownName: there is none.
    """
    match owner:
        case Owner.MAPPING:
            return project.mapping(wanted)
        case Owner.ENVELOPE:
            return project.envelope(wanted)
        case Owner.TRACK:
            return project.track(wanted)
        case Owner.PART:
            return project.scene.part(wanted)
        case Owner.TOUCH_UP:
            return project.touch_up(wanted)
        case Owner.MARKER:
            marker = by_id(project.markers, wanted)
            if marker is None:
                raise UnknownName(f"There is no marker {wanted:.40}.", remedy="It may have been removed.", name=wanted)
            return marker


_PUTS: dict[Owner, Callable[..., Command]] = {
    Owner.MAPPING: lambda thing: PutMapping(mapping=thing),
    Owner.ENVELOPE: lambda thing: PutEnvelope(envelope=thing),
    Owner.TRACK: lambda thing: PutTrack(track=thing),
    Owner.MARKER: lambda thing: PutMarker(marker=thing),
    Owner.PART: lambda thing: PutPart(part=thing),
    Owner.TOUCH_UP: lambda thing: PutTouchUps(touch_ups=(thing,)),
}


class _Inside(Indirect, frozen=True):
    """An edit of one place inside a thing; what it is called and does follows from what the thing becomes.

    Attributes:
        owner: the kind of thing.
        id: which.
        path: the place.
        seen: the revision in which that was its path; None is the one that is edited.
    """

    owner: Owner
    id: Id
    path: Path
    seen: int | None = None

    def as_seen(self, seen: Callable[[int], Project], now: Project) -> Command:
        if self.seen is None:
            return self
        was, thing = _owned(seen(self.seen), self.owner, self.id), _owned(now, self.owner, self.id)
        return self.but(path=".".join(_names_now(self.path.split("."), was, thing)), seen=None)

    def _becomes(self, value_at: Any) -> Any:
        raise NotImplementedError

    def stands_for(self, project: Project) -> Command:
        thing = _owned(project, self.owner, self.id)
        return _PUTS[self.owner](_changed(thing, self.path.split("."), self._becomes))


class SetField(_Inside, frozen=True):
    """Set one field of a thing; another one of the same model that stands in the way is pushed along."""

    kind: Literal["set_field"] = "set_field"
    value: Any

    def _becomes(self, value_at: Any) -> Any:
        return self.value


class ListChange(StrEnum):
    """What happens to an entry of a list."""

    DROP = "drop"
    TWICE = "twice"
    MOVE = "move"


class ChangeList(_Inside, frozen=True):
    """Take an entry of a list out, put a second one after it, or move it to another place; the path names the entry."""

    kind: Literal["change_list"] = "change_list"
    how: ListChange
    to: Annotated[int, Field(ge=0)] = 0

    def stands_for(self, project: Project) -> Command:
        thing = _owned(project, self.owner, self.id)
        *names, entry = self.path.split(".")
        return _PUTS[self.owner](_changed(thing, names, lambda items: self._list(items, entry)))

    def _list(self, items: Any, entry: str) -> tuple[Any, ...]:
        place = _place(items, entry)
        before, at, after = items[:place], items[place], items[place + 1 :]
        match self.how:
            case ListChange.DROP:
                return (*before, *after)
            case ListChange.TWICE:
                return (*before, at, at, *after)
            case ListChange.MOVE:
                rest = (*before, *after)
                return (*rest[: self.to], at, *rest[self.to :])


class AddEntry(_Inside, frozen=True):
    """Put another entry at the end of a list, such as a step of a mapping; the path names the list."""

    kind: Literal["add_entry"] = "add_entry"
    value: Any

    def _becomes(self, value_at: Any) -> Any:
        if not isinstance(value_at, tuple):
            raise InvalidParameter("path", value=self.path, allowed="the path of a list")
        if len(value_at) >= MOST_ENTRIES:
            raise InvalidParameter("entries", value=len(value_at) + 1, allowed=f"at most {MOST_ENTRIES}")
        return (*value_at, self.value)


def _changed(value_at: Any, names: list[str], becomes: Callable[[Any], Any]) -> Any:
    """Give a value with the place that names lead to become something else; every model on the way is checked anew."""
    if not names:
        return becomes(value_at)
    name, *rest = names
    if isinstance(value_at, tuple):
        place = _place(value_at, name)
        return (*value_at[:place], _changed(value_at[place], rest, becomes), *value_at[place + 1 :])
    if not isinstance(value_at, Frozen) or name not in type(value_at).model_fields:
        raise InvalidParameter("path", value=name, allowed="the name of a field that is there")
    value = _changed(getattr(value_at, name), rest, becomes)
    return value_at.but(**{**({} if rest else value_at.pushed(name, value)), name: value})


def _names_now(names: list[str], was: Any, now: Any) -> list[str]:
    """Give the names that lead in a value to what they led to in an older one, whose lists may have had other entries.

    Raises:
        FernTideError: an entry on the way is not there any more.
    """
    if not names or was is now:
        return names
    name, *rest = names
    if isinstance(was, tuple) and isinstance(now, tuple):
        place = _place(was, name)
        at = place_now(was, place, now)
        return [str(at), *_names_now(rest, was[place], now[at])]
    if type(was) is not type(now) or not isinstance(was, Frozen) or name not in type(was).model_fields:
        return names
    return [name, *_names_now(rest, getattr(was, name), getattr(now, name))]


def place_now(was: tuple[Any, ...], place: int, now: tuple[Any, ...]) -> int:
    """Give where the entry of an older list is in a list of now; one that was changed stays where it was.

    Raises:
        FernTideError: there was none, or it was changed and others came or went: it may be anywhere.
    """
    if place < len(was):
        entry = was[place]
        if (place < len(now) and now[place] == entry) or (len(now) == len(was) and entry not in now):
            return place
        if entry in now:
            return now.index(entry)
    raise FernTideError("What you edited is not where it was any more.", remedy="Look at its list again.")


def _place(items: Any, name: str) -> int:
    """Read a place in a list that is there."""
    if not isinstance(items, tuple) or not name.isdecimal() or int(name) >= len(items):
        raise InvalidParameter("path", value=name, allowed="a place of a list that is there")
    return int(name)

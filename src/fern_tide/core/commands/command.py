"""What a command is, and what commands share."""

from __future__ import annotations

from collections.abc import Callable
from itertools import count
from typing import Any, TypeVar

from fern_tide.core.base.naming import Identified
from fern_tide.core.base.params import Frozen
from fern_tide.core.document import Project


class Command(Frozen, frozen=True):
    """One edit."""

    def label(self, before: Project) -> str:
        """Say what the edit does, as undo will call it."""
        raise NotImplementedError

    def apply(self, project: Project) -> Project:
        """Give the document after the edit.

        Raises:
            FernTideError: it names something that is not there, or would make the document impossible.
        """
        raise NotImplementedError

    def as_seen(self, seen: Callable[[int], Project], now: Project) -> Command:
        """Give the edit for the document as it is now, where it was meant for what was seen of an older one.

        Args:
            seen: gives the document of a revision.
            now: the document that is edited.

        Raises:
            FernTideError: what it was meant for is not there any more.
        """
        return self


class Indirect(Command, frozen=True):
    """An edit that another one carries out, made for the document as it is then."""

    def stands_for(self, project: Project) -> Command:
        """Give the edit that carries it out."""
        raise NotImplementedError

    def label(self, before: Project) -> str:
        return self.stands_for(before).label(before)

    def apply(self, project: Project) -> Project:
        return self.stands_for(project).apply(project)


T = TypeVar("T", bound=Identified)


def next_number(items: tuple[T, ...], prefix: str) -> int:
    """Count on from how many there are, to the first number with which '{prefix}-{number}' is no id yet."""
    ids = {item.id for item in items}
    return next(number for number in count(len(ids) + 1) if f"{prefix}-{number}" not in ids)


def by_id(items: tuple[T, ...], wanted: str) -> T | None:
    """Give the item of an id, or None."""
    return next((item for item in items if item.id == wanted), None)


def put(items: tuple[T, ...], new: T) -> tuple[T, ...]:
    """Give the items with a new one at the end, or in the place of the one of the same id."""
    if by_id(items, new.id) is None:
        return (*items, new)
    return tuple(new if item.id == new.id else item for item in items)


def without(items: tuple[T, ...], gone: str) -> tuple[T, ...]:
    """Give the items but for one."""
    return tuple(item for item in items if item.id != gone)


def choice_label(old: tuple[Any, ...], new: tuple[Any, ...], owner: str) -> str:
    """Name the one step or clean-up that was added, removed or tuned, or ''."""
    if len(new) > len(old):
        added = next((b for a, b in zip(old, new, strict=False) if a != b), new[-1])
        return f"Add {added.spec.label.lower()} to {owner}"
    if len(new) < len(old):
        removed = next((a for a, b in zip(old, new, strict=False) if a != b), old[-1])
        return f"Take {removed.spec.label.lower()} off {owner}"
    tuned = next((b for a, b in zip(old, new, strict=True) if a != b), None)
    return f"Tune {tuned.spec.label.lower()} of {owner}" if tuned else ""


def listed(names: list[str]) -> str:
    """Give names as 'a, b and c'."""
    return " and ".join([", ".join(names[:-1]), names[-1]] if len(names) > 1 else names)


def verb(names: list[str], one: str, many: str) -> str:
    """Give the verb that fits so many names."""
    return one if len(names) == 1 else many

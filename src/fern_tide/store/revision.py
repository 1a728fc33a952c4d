"""A revision of a project, and what can be wrong with asking for one."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.document import Project


class Conflict(FernTideError):
    """An edit was made on a revision that is no longer the current one."""


class NoSuchProject(FernTideError):
    """There is no such project, or it was deleted."""


class NothingToUndo(FernTideError):
    """Undo at the first revision, or redo at the last."""


@dataclass(frozen=True)
class Revision:
    """A document as it stands, and where it stands in the history.

    Attributes:
        id: of the revision.
        key: of the project.
        document: the project.
        saved: when it was stored.
        undo: the label of the edit that undo takes back, or None.
        redo: the label of the edit that redo brings back, or None.
    """

    id: int
    key: str
    document: Project
    saved: datetime
    undo: str | None
    redo: str | None


@dataclass(frozen=True)
class Stand:
    """What a Revision says beside its document."""

    id: int
    key: str
    saved: datetime
    undo: str | None
    redo: str | None


def gone() -> NoSuchProject:
    """Give the error of a project that is not there."""
    return NoSuchProject("This project does not exist, or was deleted.", remedy="Go back to the projects.")

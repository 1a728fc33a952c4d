"""What comes in is laid on the project as it stands by then: an edit that comes between is built on, not in the way."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from fern_tide.core.document import Project
from fern_tide.store.revision import Conflict, Revision
from fern_tide.workflows.studio import Studio

_TRIES = 5
About = TypeVar("About")


def lay(studio: Studio, key: str, make: Callable[[Project], tuple[Project, str, About]]) -> tuple[Revision, About]:
    """Store what becomes of a project's document as it stands, and anew if another edit was quicker.

    Args:
        studio: where it is stored.
        key: of the project.
        make: gives the new document, its words for undo, and what else is asked of it.

    Raises:
        Conflict: others were quicker five times.
    """
    tries = 0
    while True:
        current = studio.projects.current(key)
        document, label, about = make(current.document)
        try:
            return studio.projects.save(key, document, base=current.id, label=label), about
        except Conflict:
            tries += 1
            if tries == _TRIES:
                raise

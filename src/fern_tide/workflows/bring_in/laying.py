"""What comes in is laid on the project as it stands by then: an edit that comes between is built on, not in the way."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from fern_tide.core.commands.command import listed, verb
from fern_tide.core.document import Project
from fern_tide.store.revision import Conflict, Revision
from fern_tide.workflows.studio import Studio

_TRIES = 5
_MOST_NAMED = 5
About = TypeVar("About")


def lay(
    studio: Studio, key: str, make: Callable[[Project], tuple[Project, str, About]], *, joined: int | None = None
) -> tuple[Revision, About]:
    """Store what becomes of a project's document as it stands, and anew if another edit was quicker.

    Args:
        studio: where it is stored.
        key: of the project.
        make: gives the new document, its words for undo, and what else is asked of it.
        joined: the revision of what came just before in one go: where nothing else was done since, one undo takes both
            back.

    Raises:
        Conflict: others were quicker five times.
    """
    tries = 0
    while True:
        current = studio.projects.current(key)
        document, label, about = make(current.document)
        if document == current.document:  # the same file once more
            return current, about
        before = studio.projects.before(key) if current.id == joined else None
        words = label if before is None else arrival_words(before, document) or label
        try:
            saved = studio.projects.save(key, document, base=current.id, label=words, instead=before is not None)
            return saved, about
        except Conflict:
            tries += 1
            if tries == _TRIES:
                raise


def arrival_words(before: Project, after: Project) -> str:
    """Say what came into a project between two of its documents: '' where none of it is of the soundtrack."""
    old_tracks = {item.id: item for item in before.tracks}
    old_envelopes = {item.id: item for item in before.envelopes}
    new_tracks = [item for item in after.tracks if item.id not in old_tracks]
    with_track = {item.id for item in new_tracks}
    swapped = [item.name for item in after.tracks if item.media != old_tracks.get(item.id, item).media]
    swapped += [item.name for item in after.envelopes if item.reading != old_envelopes.get(item.id, item).reading]
    envelopes = [item.name for item in after.envelopes if item.id not in old_envelopes and item.track not in with_track]
    phrases = [
        f"{words} the {verb(names, one, f'{one}s')} {between}{_some(names)}"
        for words, one, between, names in (
            ("swap", "file", "under ", swapped),
            ("add", "track", "", [item.name for item in new_tracks]),
            ("add", "envelope", "", envelopes),
        )
        if names
    ]
    words = ", ".join(phrases)
    return words[:1].upper() + words[1:]


def _some(names: list[str]) -> str:
    first = names if len(names) <= _MOST_NAMED else names[: _MOST_NAMED - 1]
    return listed(first if first is names else [*first, f"{len(names) - len(first)} more"])

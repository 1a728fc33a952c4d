"""What nothing refers to any more goes: derived files, media, and rows of ended work."""

from __future__ import annotations

from dataclasses import dataclass

from fern_tide.core.derivation.graph import Graph
from fern_tide.core.document import Project
from fern_tide.workflows.derive.analysis import features_read
from fern_tide.workflows.studio import Studio

_DAY_S = 24 * 3600.0
USED_S, UNUSED_S = 30 * _DAY_S, 7 * _DAY_S
"""How long what a project needs, and what none needs, stays when nobody looks at it: both can be made again."""
_JOBS_S = 7 * _DAY_S


def sweep(studio: Studio) -> int:
    """Remove what nothing refers to; gives how many derived files went."""
    in_use = {digest for key, _, _, project in studio.projects.all() for digest in _in_use(studio, key, project)}
    gone = studio.derived.sweep(older_than_s=USED_S, in_use=in_use, unused_s=UNUSED_S)
    studio.media.sweep(studio.projects.media_in_use())
    studio.jobs.forget(older_than_s=_JOBS_S)
    return gone + studio.tidy()


@dataclass(frozen=True)
class Room:
    """What a project takes on the disk, in bytes.

    Attributes:
        media: the files that it names, which others may name too.
        derived: what was made of them and can be made again.
    """

    media: int
    derived: int


def room_of(studio: Studio, key: str, project: Project) -> Room:
    """Give what a project as it stands takes on the disk."""
    return Room(
        sum(studio.media.size(digest) for digest in project.media), studio.derived.size(_in_use(studio, key, project))
    )


def empty(studio: Studio, key: str) -> None:
    """Remove what was made of a project's files: it is made again when it is looked at.

    Raises:
        NoSuchProject: there is none of that key.
    """
    studio.derived.forget(_in_use(studio, key, studio.projects.current(key).document))


def _in_use(studio: Studio, key: str, project: Project) -> set[str]:
    """Give the fingerprints of all that is stored for a project as it stands."""
    graph = Graph(project)
    features = {
        graph.feature(track, item).fingerprint for track in project.tracks for item in features_read(graph, track)
    }
    rhythms = {graph.heard_rhythm(track).fingerprint for track in project.tracks}
    return features | rhythms | set(studio.projects.baked(key).values())

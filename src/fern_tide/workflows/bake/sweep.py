"""What nothing refers to any more goes: derived files, media, and rows of ended work."""

from __future__ import annotations

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
    return gone


def _in_use(studio: Studio, key: str, project: Project) -> set[str]:
    """Give the fingerprints of all that is stored for a project as it stands."""
    graph = Graph(project)
    features = {
        graph.feature(track, item).fingerprint for track in project.tracks for item in features_read(graph, track)
    }
    rhythms = {graph.rhythm(track).fingerprint for track in project.tracks}
    return features | rhythms | set(studio.projects.baked(key).values())

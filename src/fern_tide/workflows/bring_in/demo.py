"""The demo projects in a studio."""

from __future__ import annotations

from fern_tide.core.document import Project
from fern_tide.demo.project import bench_project, demo_project, demo_sounds, wall_project
from fern_tide.store.revision import Revision
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.studio import Studio

LABEL = "Open the demo"


def open_demo(studio: Studio) -> Revision:
    """Store the demos as new projects, with their sounds, and start the analysis; gives the 2D one."""
    media = {track.name: track.media for track in demo_project().tracks}
    for name, content in demo_sounds().items():
        if studio.media.size(media[name]) != len(content):
            studio.media.add([content], most=len(content))
    _store(studio, wall_project())
    _store(studio, bench_project())
    return _store(studio, demo_project())


def _store(studio: Studio, project: Project) -> Revision:
    revision = studio.projects.create(project, label=LABEL)
    analysis.ensure(studio, project)
    return revision


def ensure_demo(studio: Studio) -> None:
    """Make the demo projects in a studio that has no project."""
    if not studio.projects.all():
        open_demo(studio)

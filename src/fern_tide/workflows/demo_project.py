"""The demo project in a studio."""

from __future__ import annotations

from fern_tide.demo.project import demo_project, demo_sounds
from fern_tide.store.projects import Revision
from fern_tide.workflows import analysis
from fern_tide.workflows.studio import Studio

LABEL = "Open the demo"


def open_demo(studio: Studio) -> Revision:
    """Store the demo as a new project, with its sounds, and start their analysis."""
    for content in demo_sounds().values():
        studio.media.add([content], most=len(content))
    project = demo_project()
    revision = studio.projects.create(project, label=LABEL)
    analysis.ensure(studio, project)
    return revision


def ensure_demo(studio: Studio) -> None:
    """Make the demo project in a studio that has no project."""
    if not studio.projects.all():
        open_demo(studio)

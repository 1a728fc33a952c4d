"""The pieces of arrays: what drives each of their properties, in the document as it stands."""

from __future__ import annotations

from fern_tide.core.bake.expand import Moved
from fern_tide.core.bake.pieces import is_of_pieces
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.workflows.derive.levels import Levels


def moved_pieces(levels: Levels, project: Project) -> dict[Target, Moved]:
    """Give what drives the driven properties of arrays' pieces.

    Raises:
        NotReadYet: a sound is still being read.
    """
    graph = levels.graph(project)
    moved = {}
    for target in graph.curves:
        if is_of_pieces(project.scene.part(target.part), target.property):
            stack = graph.stacks[target]
            moved[target] = Moved(stack, [levels.lift(project, mapping) for mapping, _ in stack.drivers])
    return moved

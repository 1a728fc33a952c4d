"""The pieces of arrays, ready to be written out as they were baked."""

from __future__ import annotations

from fern_tide.core.bake.expand import Moved
from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.workflows.bake.baking import stale
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.derive.pieces import moved_pieces
from fern_tide.workflows.studio import Studio


def check_fresh(studio: Studio, levels: Levels, key: str, project: Project) -> None:
    """Refuse what was changed since it was baked, where pieces are looked up in the array as it stands.

    Raises:
        FernTideError: an array was changed since it was baked.
    """
    old = (project.scene.part(target.part) for target in stale(studio, levels, key, project))
    changed = sorted(part.name for part in old if part.kind.pieces)
    if changed:  # also where only a reach moves otherwise
        raise FernTideError(f"{changed[0]} was changed since it was baked.", remedy="Bake first.")


def baked_pieces(studio: Studio, levels: Levels, key: str, project: Project) -> dict[Target, Moved]:
    """Give what drives the pieces of arrays, where it is what was baked.

    Raises:
        FernTideError: an array was changed since it was baked.
    """
    check_fresh(studio, levels, key, project)
    return moved_pieces(levels, project)

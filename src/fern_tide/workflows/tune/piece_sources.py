"""Arrays of parts as they are seen on a stage: with room between their pieces, and of what can be repeated."""

from __future__ import annotations

from collections.abc import Sequence

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.commands.registry import Together
from fern_tide.core.document import Project
from fern_tide.core.scene.gltf.container import items_of
from fern_tide.workflows.derive.stages import Staged
from fern_tide.workflows.tune.anchoring import width_of
from fern_tide.workflows.tune.make_part import array_of


def array_on_stage(staged: Staged, project: Project, part_ids: Sequence[str]) -> tuple[Together, str]:
    """Make an array of parts; see make_part.array_of.

    Args:
        staged: the scene.
        project: its document.
        part_ids: one or more.

    Raises:
        FernTideError: it is carried by joints, which each piece would need of its own.
    """
    first = project.scene.part(part_ids[0])
    for item in (item for part_id in part_ids for item in project.scene.branch(part_id) if item.kind.in_file == "node"):
        gltf = staged.media.gltfs[project.scene.file(item.file).media]
        if "skin" in items_of(gltf.json, "nodes")[item.file_index]:
            raise FernTideError(
                f"{item.name} is carried by joints, and pieces of an array have none of their own.",
                remedy="Export it without its skeleton, or make an array of something else.",
            )
    return array_of(project, part_ids, width=width_of(staged, first))

"""Reaches that stand in the scene, and the mappings that go by them."""

from __future__ import annotations

import numpy as np

from fern_tide.core.bake.pieces import is_of_pieces
from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.commands.mapping import PutMapping
from fern_tide.core.document import Project
from fern_tide.core.mapping.drive import MOST_REACHES_OF_A_DRIVE, Drive, Within
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.placement import in_scene
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.workflows.derive.stages import Staged


def can_go_by(scene: Scene, mapping: Mapping, reach: Part) -> bool:
    """Say whether a mapping moves something that can go by a reach: neither the reach itself nor pieces of arrays."""
    return any(_fades(scene, drive, reach.id) for drive in mapping.drives)


def goes_by(mapping: Mapping, reach_id: str) -> bool:
    """Say whether what a mapping moves goes by a reach."""
    return any(drive.within is not None and reach_id in drive.within.reaches for drive in mapping.drives)


def go_by(staged: Staged, project: Project, *, reach_id: str, mapping_id: str) -> PutMapping:
    """Let what a mapping moves go by a reach, from where it stands now; or no more, where it does.

    Args:
        staged: the scene, which knows where its parts are.
        project: the document.
        reach_id: the part that is a reach.
        mapping_id: the mapping.

    Raises:
        UnknownName: there is no such part or mapping.
        InvalidParameter: the part is no reach.
        FernTideError: the mapping moves nothing that could go by it, or it goes by as many as can be.
    """
    scene, mapping = project.scene, project.mapping(mapping_id)
    reach = scene.part(reach_id)
    if reach.kind.fading is None:
        raise InvalidParameter("reach", value=reach.name, allowed="a part that is a reach")
    if goes_by(mapping, reach_id):
        return PutMapping(mapping=mapping.without_reaches({reach_id}))
    if not can_go_by(scene, mapping, reach):
        raise FernTideError(
            f"What {mapping.name} moves cannot go by {reach.name}.",
            remedy="Give an array a reach of its own, or choose a mapping of other parts.",
        )
    drives = (_within(staged, drive, reach_id) if _fades(scene, drive, reach_id) else drive for drive in mapping.drives)
    return PutMapping(mapping=mapping.but(drives=tuple(drives)))


def _fades(scene: Scene, drive: Drive, reach_id: str) -> bool:
    part, item = scene.resolve(drive.target)
    return part.id != reach_id and not is_of_pieces(part, item.id)


def _within(staged: Staged, drive: Drive, reach_id: str) -> Drive:
    names = () if drive.within is None else drive.within.reaches
    if len(names) >= MOST_REACHES_OF_A_DRIVE:
        raise FernTideError(
            f"It goes by {MOST_REACHES_OF_A_DRIVE} reaches already.", remedy="Let it go by one of them no more."
        )
    x, y, z = _place(staged, drive.target.part)
    return drive.but(within=Within(reaches=(*names, reach_id), x=x, y=y, z=z))


def _place(staged: Staged, part_id: str) -> tuple[float, float, float]:
    """Give where the middle of a part is at rest, in px of the stage or metres of the world; of what is unseen, it."""
    extent = staged.extents.get(part_id)
    if extent is not None:
        middle = np.array([*extent.middle, 0.0, 0.0])[:3]
    else:
        middle = in_scene(staged.scene.at_rest, staged.scene.at_rest.part(part_id))[:3, 3]
    x, y, z = (round(float(number), 6) for number in middle)
    return x, y, z

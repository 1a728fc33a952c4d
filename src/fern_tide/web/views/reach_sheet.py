"""What the Stage shows of a reach that stands in the scene: what it covers, and which mappings go by it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from fern_tide.core.document import Project
from fern_tide.core.mapping.drive import RESPONSES
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.response import Response
from fern_tide.core.scene.arrays.reach import REACHES
from fern_tide.core.scene.arrays.reach_shape import ReachShape
from fern_tide.core.scene.placement import in_scene
from fern_tide.core.scene.scene import Part
from fern_tide.workflows.tune.reaches import can_go_by, goes_by

_MOST_LISTED = 200


@dataclass(frozen=True)
class ReachSheet:
    """What the sheet of a reach shows.

    Attributes:
        shapes: what there is to choose from.
        responses: the same, of how motion fades.
        mappings: those that can go by it, each with whether it does.
        head: what the page draws it with: its shape, its own values, and matrices to the scene and back, row by row.
    """

    shapes: Sequence[ReachShape]
    responses: Sequence[Response]
    mappings: Sequence[tuple[Mapping, bool]]
    head: dict[str, Any]


def reach_sheet(project: Project, part: Part) -> ReachSheet | None:
    """Give the sheet of a reach; None for any other part."""
    if part.kind.fading is None:
        return None
    scene, fading = project.scene, part.kind.fading(part.shape.params)
    above = None if part.parent is None else scene.part(part.parent)
    matrix = np.eye(4) if above is None else in_scene(scene, above)
    shape: ReachShape = fading.shape.spec
    could = [mapping for mapping in project.mappings if can_go_by(scene, mapping, part)][:_MOST_LISTED]
    head = {
        "id": part.id,
        "measure": shape.measure,
        "turned": shape.turned,
        "own": {item.id: part.own(item.id) for item in part.properties},
        "to_scene": matrix.ravel().tolist(),
        "to_own": np.linalg.pinv(matrix).ravel().tolist(),
    }
    return ReachSheet(
        list(REACHES.values()), list(RESPONSES.values()), [(one, goes_by(one, part.id)) for one in could], head
    )

"""What the Stage shows of a solid's shapers."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.commands.field import AddEntry, Owner
from fern_tide.core.scene.gltf.container import items_of
from fern_tide.core.scene.gltf.shaped import box_of_mesh
from fern_tide.core.scene.mesh import bounds
from fern_tide.core.scene.placement import in_scene
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.shaper import BetweenParams, Shaper, between
from fern_tide.core.scene.shaping import MOST_SHAPERS, SHAPERS, ShaperChoice, Shaping, can_be_shaped, n_shapes
from fern_tide.workflows.derive.stages import Staged


@dataclass(frozen=True)
class ShapersSheet:
    """What is shown of a solid's shapers.

    Attributes:
        shapers: its own.
        adders: each shaper with the edit that adds it; none where there are as many as can be.
        n_shapes: how many shapes stand for all that they can do.
        planes: the corners of the planes that they act between, four each, in the scene's metres, at rest.
    """

    shapers: Sequence[Shaping]
    adders: Sequence[tuple[Shaper, dict[str, Any]]]
    n_shapes: int
    planes: Sequence[Sequence[Sequence[float]]]


def shapers_sheet(staged: Staged, part: Part) -> ShapersSheet | None:
    """Give the sheet of a solid, or of a part with a mesh; None of what cannot be shaped.

    Args:
        staged: the scene.
        part: of it.
    """
    if not can_be_shaped(part):
        return None
    used = {one.slot for one in part.shapers}
    free = next((slot for slot in range(1, MOST_SHAPERS + 1) if slot not in used), None)
    adders = [] if free is None else [(spec, _adds(part, free, spec)) for spec in SHAPERS.values()]
    return ShapersSheet(part.shapers, adders, n_shapes(part.shapers), _planes(staged, part))


def _planes(staged: Staged, part: Part) -> list[list[list[float]]]:
    limits = [one.shaper.params for one in part.shapers if isinstance(one.shaper.params, BetweenParams)]
    box = _box(staged, part) if limits else None
    if box is None:
        return []
    matrix = in_scene(staged.scene, staged.scene.part(part.id))
    planes = []
    for params in limits:
        for place in between(np.array(box), params):
            corners = np.empty((4, 3))
            corners[:, params.axis.row] = place
            for row, order in zip(params.axis.others, ((0, 1, 1, 0), (0, 0, 1, 1)), strict=True):
                corners[:, row] = [box[side][row] for side in order]
            planes.append(np.round(corners @ matrix[:3, :3].T + matrix[:3, 3], 4).tolist())
    return planes


def _box(staged: Staged, part: Part) -> tuple[FloatArray, FloatArray] | None:
    """Give the box about a part's mesh in its own metres."""
    if part.kind.solid is not None:
        return bounds(part.kind.solid(part.shape.params))
    gltf = staged.media.gltfs.get(staged.scene.file(part.file).media)
    if gltf is None:
        return None
    node = items_of(gltf.json, "nodes")[part.file_index]
    return box_of_mesh(gltf.json, items_of(gltf.json, "meshes")[node["mesh"]])


def _adds(part: Part, slot: int, spec: Shaper) -> dict[str, Any]:
    value = Shaping(slot=slot, shaper=ShaperChoice(id=spec.id)).model_dump(mode="json")
    return AddEntry(owner=Owner.PART, id=part.id, path="shapers", value=value).model_dump(mode="json")

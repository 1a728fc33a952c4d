"""What the Stage shows of the shapers of a solid or an outline."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from fern_tide.core.base.params import FieldSpec, fields
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.commands.field import AddEntry, Owner
from fern_tide.core.scene.gltf.container import items_of
from fern_tide.core.scene.gltf.plain_mesh import box_of_mesh
from fern_tide.core.scene.mesh import bounds
from fern_tide.core.scene.outlines import outline_box
from fern_tide.core.scene.placement import inside_scene
from fern_tide.core.scene.region import Region, Where
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.shaper import BetweenParams, Shaper, between
from fern_tide.core.scene.shaping import MOST_SHAPERS, SHAPERS, ShaperChoice, Shaping, can_be_shaped, n_shapes
from fern_tide.workflows.derive.stages import Staged

_AROUND = 32  # corners of a circle
_RING = 2 * np.pi * np.arange(_AROUND) / _AROUND


@dataclass(frozen=True)
class ShownShaper:
    """A shaper of a part as it is shown.

    Attributes:
        shaping: itself.
        fields: its options, as the part's kind of scene counts them.
        region: those of where it acts, where that is not all over: else only which.
    """

    shaping: Shaping
    fields: Sequence[FieldSpec]
    region: Sequence[FieldSpec]


@dataclass(frozen=True)
class ShapersSheet:
    """What is shown of the shapers of a solid or an outline.

    Attributes:
        shapers: its own.
        adders: each shaper with the edit that adds it; none where there are as many as can be.
        n_shapes: how many shapes stand for all that they can do.
        flat: whether it is a 2D part.
        limits: the lines that they act between or within, each its corners in the scene's metres or px, at rest.
    """

    shapers: Sequence[ShownShaper]
    adders: Sequence[tuple[Shaper, dict[str, Any]]]
    n_shapes: int
    flat: bool
    limits: Sequence[Sequence[Sequence[float]]]


def shapers_sheet(staged: Staged, part: Part) -> ShapersSheet | None:
    """Give the sheet of a solid, or of a part with a mesh or an outline; None of what cannot be shaped.

    Args:
        staged: the scene.
        part: of it.
    """
    if not can_be_shaped(part):
        return None
    flat = part.kind.space == "2d"
    used = {one.slot for one in part.shapers}
    free = next((slot for slot in range(1, MOST_SHAPERS + 1) if slot not in used), None)
    adders = [] if free is None else [(spec, _adds(part, free, spec)) for spec in SHAPERS.values()]
    shown = [
        ShownShaper(one, _counted(fields(one.shaper.spec.params), flat), _region(one, flat)) for one in part.shapers
    ]
    return ShapersSheet(shown, adders, n_shapes(part.shapers), flat, _limits(staged, part))


def _counted(specs: Sequence[FieldSpec], flat: bool) -> list[FieldSpec]:
    """Give fields as a kind of scene counts them: in 2D in px, and without a third axis."""
    if not flat:
        return list(specs)
    counted = []
    for spec in specs:
        choices = tuple(choice for choice in spec.choices if choice[0] != "z")
        is_length = spec.unit == "m"
        unit, step = ("px", 1.0) if is_length else (spec.unit, spec.step)
        counted.append(replace(spec, choices=choices, unit=unit, step=step))
    return counted


def _region(one: Shaping, flat: bool) -> list[FieldSpec]:
    known = fields(Region)
    if one.region.where is Where.ALL:
        return [known[0]]
    return [spec for spec in known if not (flat and spec.name == "towards")]


def _limits(staged: Staged, part: Part) -> list[list[list[float]]]:
    """Give the lines that shapers act between, and the edges of the regions that they act in."""
    flat = part.kind.space == "2d"
    bounded = [one for one in part.shapers if isinstance(one.shaper.params, BetweenParams) or _is_within(one)]
    box = _box(staged, part) if bounded else None
    if box is None:
        return []
    corners = np.array(box)
    lines: list[FloatArray] = []
    for one in bounded:
        if isinstance(one.shaper.params, BetweenParams):
            lines += [_plane(corners, one.shaper.params, place) for place in between(corners, one.shaper.params)]
        if _is_within(one):
            lines += _edges(one.region, corners, flat=flat)
    matrix = _matrix(staged, part)
    if flat:
        lines = [line * np.array([1.0, -1.0, 0.0]) for line in lines]
    return [np.round(line @ matrix[:3, :3].T + matrix[:3, 3], 4).tolist() for line in lines]


def _is_within(one: Shaping) -> bool:
    return one.region.where is not Where.ALL


def _plane(box: FloatArray, params: BetweenParams, place: float) -> FloatArray:
    corners = np.empty((4, 3))
    corners[:, params.axis.row] = place
    for row, order in zip(params.axis.others, ((0, 1, 1, 0), (0, 0, 1, 1)), strict=True):
        corners[:, row] = [box[side][row] for side in order]
    return corners


def _edges(region: Region, box: FloatArray, *, flat: bool) -> list[FloatArray]:
    """Give where a region ends, cut through its middle along each pair of axes; in 2D along the one that there is."""
    middle, size = region.middle(box), region.size(box)
    ring = np.stack([np.cos(_RING), np.sin(_RING)], axis=1)
    if region.where is Where.BOX:
        ring = np.array([[-1.0, -1.0], [1.0, -1.0], [1.0, 1.0], [-1.0, 1.0]])
    edges = []
    for pair in ((0, 1),) if flat else ((0, 1), (1, 2), (0, 2)):
        line = np.zeros((len(ring), 3))
        line[:, pair] = ring * size
        edges.append(line + middle)
    return edges


def _matrix(staged: Staged, part: Part) -> FloatArray:
    """Give where what is drawn in a part is on the stage, or in the world, shape (4, 4)."""
    return inside_scene(staged.scene, staged.scene.part(part.id))


def _box(staged: Staged, part: Part) -> tuple[FloatArray, FloatArray] | None:
    """Give the box about a part's mesh in its own metres, or about its outlines in its own px, up being y."""
    if part.kind.space == "2d":
        return outline_box(staged.scene, staged.media, part)
    if part.kind.solid is not None:
        return bounds(part.kind.solid(part.shape.params))
    gltf = staged.media.gltfs.get(staged.scene.file(part.file).media)
    if gltf is None:
        return None
    node = items_of(gltf.json, "nodes")[part.file_index]
    return box_of_mesh(gltf.json, items_of(gltf.json, "meshes")[node["mesh"]])


def _adds(part: Part, slot: int, spec: Shaper) -> dict[str, Any]:
    params = spec.flat_params if part.kind.space == "2d" else {}
    value = Shaping(slot=slot, shaper=ShaperChoice(id=spec.id, params=spec.params(**params))).model_dump(mode="json")
    return AddEntry(owner=Owner.PART, id=part.id, path="shapers", value=value).model_dump(mode="json")

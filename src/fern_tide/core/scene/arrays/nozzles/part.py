"""Part: from the faces of a solid or mesh, straight out; in 2D from the outline of a shape, or along a way."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.arrays.layout import unpacked
from fern_tide.core.scene.arrays.layouts import along, faces
from fern_tide.core.scene.arrays.nozzle import Nozzle, straight_up
from fern_tide.core.scene.way import of_curves

if TYPE_CHECKING:
    from fern_tide.core.scene.scene import Part, Scene


class PartNozzleParams(Params):
    """Which part."""

    part: Annotated[str, Field(max_length=120), unit("", "The part that drops leave from.", kind="part")] = ""
    form: Annotated[str, Field(max_length=100_000_000), unit("", "Its triangles, or its outline.", kind="given")] = ""


def given(scene: Scene, part: Part, params: PartNozzleParams) -> PartNozzleParams:
    """Complete the params by the part's form at rest, as the array counts it; without one all leave in the middle."""
    if part.kind.space == "3d":
        return params.but(form=faces.given(scene, part, faces.FacesParams(solid=params.part)).corners)
    return params.but(form=along.given(scene, part, along.AlongParams(way=params.part)).line)


def offers(scene: Scene, part: Part) -> list[Part]:
    """List the parts that drops can leave from."""
    return faces.offers(scene, part) if part.kind.space == "3d" else along.offers(scene, part)


def _nowhere(n_drops: int) -> tuple[FloatArray, FloatArray]:
    return np.zeros((n_drops, 3)), straight_up(n_drops)


def leave(params: PartNozzleParams, numbers: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Give places on the faces, as many on the same area everywhere, and the ways out of them.

    The first number says how far along all faces' areas, one after the other, a drop leaves; what is left of it within
    its face, and the second, say where on that (Turk 1990).
    """
    triangles = unpacked(params.form).reshape(-1, 3, 3)
    out = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    areas = np.linalg.norm(out, axis=1)
    if not areas.sum() > 0:
        return _nowhere(len(numbers))
    ends = np.cumsum(areas)
    at = numbers[:, 0] * ends[-1]
    face = np.minimum(np.searchsorted(ends, at, side="right"), len(areas) - 1)
    size = np.maximum(areas[face], 1e-300)
    root = np.sqrt(np.clip((at - (ends[face] - areas[face])) / size, 0.0, 1.0))
    shares = np.stack([1.0 - root, root * (1.0 - numbers[:, 1]), root * numbers[:, 1]], axis=1)
    return np.einsum("ij,ijk->ik", shares, triangles[face]), out[face] / size[:, np.newaxis]


def flat(params: PartNozzleParams, numbers: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Give places on an outline, even along it, and the ways out of it; of what is open, the one that is more up."""
    way = of_curves(unpacked(params.form).reshape(-1, 4, 3)) if params.form else None
    if way is None:
        return _nowhere(len(numbers))
    shares = numbers[:, 0]
    x, y, _ = way.tangents(shares)
    out = np.stack([-y, -x, np.zeros_like(x)], axis=1)  # to the left of where it goes, up being y
    if way.closed:
        around = way.points(np.linspace(0.0, 1.0, 257))
        turning = np.sum(around[0, :-1] * around[1, 1:] - around[0, 1:] * around[1, :-1])
        out *= 1.0 if turning < 0 else -1.0
    else:
        out *= np.where(out[:, 1:2] < 0, -1.0, 1.0)
    return way.points(shares).T, out


NOZZLE = Nozzle(
    id="part",
    label="A part",
    help="From the faces of a solid or mesh, straight out; in 2D from an outline.",
    leave=leave,
    flat=flat,
    params=PartNozzleParams,
    lies=True,
    given=given,
    offers=offers,
)

"""What an array's pieces are made from: the parts that lie in it."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.rotation import matrices, quaternions
from fern_tide.core.scene.scene import Part, Scene


def sources_of(scene: Scene, part: Part) -> tuple[Part, ...]:
    """List the parts that an array's pieces are made from, in the order of the tree."""
    return tuple(item for item in scene.parts if item.parent == part.id)


def pivot(source: Part) -> FloatArray:
    """Give the point of a piece that scaling and turning leave in place: its source's anchor, where that stands.

    As the array counts, shape (3,), for the piece at the array's middle.
    """
    own = {item.id: float(source.own(item.id)) for item in source.properties if item.kind == "number"}
    anchor = np.array([source.anchor.x, source.anchor.y, source.anchor.z])
    stands = np.array([own.get(axis, 0.0) for axis in "xyz"])
    if source.kind.space == "2d":
        return np.asarray(stands + anchor)
    turns = np.array([own.get(f"turn_{axis}", 0.0) for axis in "xyz"])[:, np.newaxis]
    sizes = np.array([own.get(f"scale_{axis}", 1.0) for axis in "xyz"])
    return np.asarray(stands + matrices(quaternions(turns))[..., 0] @ (sizes * anchor))

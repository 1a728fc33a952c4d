"""Where parts stand at rest: in what they lie in, on the stage, and by their anchors."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.rotation import matrices, quaternions
from fern_tide.core.scene.svg.geometry import matrix_of, place

if TYPE_CHECKING:
    from fern_tide.core.scene.scene import Part, Scene


def placement(part: Part) -> FloatArray:
    """Give where a part stands at its own values in what it lies in, shape (4, 4)."""
    matrix = np.eye(4)
    if not part.has("x"):
        return matrix
    if part.kind.space == "2d":
        numbers = [float(part.own(name)) for name in ("x", "y", "turn", "scale_x", "scale_y")]
        base = str(getattr(part.shape.params, "base", ""))
        a, b, c, d, e, f = matrix_of(place(numbers, anchor=(part.anchor.x, part.anchor.y), base=base))
        matrix[:2, :2], matrix[:2, 3] = [[a, c], [b, d]], [e, f]
        return matrix
    sizes = [float(part.own(f"scale_{axis}")) for axis in "xyz"]
    matrix[:3, :3] = own_turn(part) * sizes
    matrix[:3, 3] = [float(part.own(axis)) for axis in "xyz"]
    return matrix


def within(shared: Part | None, chain: Sequence[Part], leaf: Part) -> FloatArray:
    """Give what a leaf lies in, as what two parts share counts, shape (4, 4); a file's elements lie in its view box."""
    matrix, above = np.eye(4), shared
    for part in (*chain, leaf):
        if above is not None and is_drawing(above) and part.kind.in_file:
            matrix = matrix @ _fit(above.shape.params)
        if part is not leaf:
            matrix = matrix @ placement(part)
        above = part
    return matrix


def _fit(drawing: Any) -> FloatArray:
    """Give how a drawing's view box is fitted into its size: as large as it goes, in the middle (SVG 1.1, 7.8)."""
    left, top, wide, tall = drawing.view
    scale = min(drawing.width / wide, drawing.height / tall)
    fit = np.diag([scale, scale, 1.0, 1.0])
    fit[:2, 3] = (drawing.width - wide * scale) / 2 - left * scale, (drawing.height - tall * scale) / 2 - top * scale
    return fit


def is_drawing(part: Part) -> bool:
    """Say whether a part is a drawing that was brought in."""
    return part.kind.in_file == "file" and part.kind.space == "2d"


def own_turn(part: Part) -> FloatArray:
    """Give how a 3D part is turned at its own values, shape (3, 3)."""
    turns = np.array([[float(part.own(f"turn_{axis}"))] for axis in "xyz"])
    return np.asarray(matrices(quaternions(turns))[..., 0])


def above(scene: Scene, part: Part) -> list[Part]:
    """List what a part lies in, the outermost first."""
    above: list[Part] = []
    while part.parent is not None:
        part = scene.part(part.parent)
        above.insert(0, part)
    return above


def in_scene(scene: Scene, part: Part) -> FloatArray:
    """Give where a part stands at rest on the stage, or in the world, shape (4, 4)."""
    return np.asarray(within(None, above(scene, part), part) @ placement(part))


def anchored(part: Part) -> FloatArray:
    """Give where a part's anchor stands at rest in what it lies in, shape (3,)."""
    at = np.array([part.anchor.x, part.anchor.y, part.anchor.z])
    stands = np.array([float(part.own(axis)) if part.has(axis) else 0.0 for axis in "xyz"])
    if part.kind.space == "2d":
        return np.asarray(stands + at)
    sizes = [float(part.own(f"scale_{axis}")) for axis in "xyz"]
    return np.asarray(stands + own_turn(part) @ (at * sizes))

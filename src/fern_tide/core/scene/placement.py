"""Where parts stand at rest: in what they lie in, on the stage, and by their anchors."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.scene.rotation import matrices, quaternions
from fern_tide.core.scene.svg.geometry import fitted, matrix_of, place

if TYPE_CHECKING:
    from fern_tide.core.scene.scene import Part, Scene

_ABOUT = ("turn_x", "turn_y", "turn_z", "scale_x", "scale_y", "scale_z")
_DIGITS = 9


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
    """Give how a drawing's view box is fitted into its size, shape (4, 4)."""
    a, b, c, d, e, f = fitted(drawing.view, drawing.width, drawing.height)
    fit = np.eye(4)
    fit[:2, :2], fit[:2, 3] = [[a, c], [b, d]], [e, f]
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
    outer: list[Part] = []
    while part.parent is not None:
        part = scene.part(part.parent)
        outer.insert(0, part)
    return outer


def in_scene(scene: Scene, part: Part) -> FloatArray:
    """Give where a part stands at rest on the stage, or in the world, shape (4, 4)."""
    return np.asarray(within(None, above(scene, part), part) @ placement(part))


def inside_scene(scene: Scene, part: Part) -> FloatArray:
    """Give what is drawn in a part as the stage counts it, shape (4, 4): in a drawing that is its view box."""
    matrix = in_scene(scene, part)
    fits = is_drawing(part) and len(getattr(part.shape.params, "view", ())) == 4
    return np.asarray(matrix @ _fit(part.shape.params)) if fits else matrix


def anchored(part: Part) -> FloatArray:
    """Give where a part's anchor stands at its own values in what it lies in, shape (3,).

    That is the point which scaling and turning leave in place.
    """
    at = np.array([part.anchor.x, part.anchor.y, part.anchor.z])
    stands = np.array([float(part.own(axis)) if part.has(axis) else 0.0 for axis in "xyz"])
    if part.kind.space == "2d" or not part.has("x"):
        return np.asarray(stands + at)
    sizes = [float(part.own(f"scale_{axis}")) for axis in "xyz"]
    return np.asarray(stands + own_turn(part) @ (at * sizes))


def about_anchor(scene: Scene, before: Part, after: Part) -> Part:
    """Give a 3D part that was turned or scaled where its anchor stays in place; other parts as they are.

    In 2D a place is that of the anchor already. A place that something else gives stays as it is.

    Args:
        scene: whose.
        before: the part as it stood.
        after: the same with other own values.
    """
    names = [name for name in _ABOUT if before.has(name) and before.own(name) != after.own(name)]
    anchor = before.anchor
    if before.kind.space == "2d" or not names or not before.has("x") or not (anchor.x or anchor.y or anchor.z):
        return after
    if any(Target(part=before.id, property=axis) in scene.grounds for axis in "xyz"):
        return after
    by = anchored(before) - anchored(after)
    places = {axis: round(float(after.own(axis)) + by[n], _DIGITS) for n, axis in enumerate("xyz")}
    values = {name: value for name, value in {**after.values, **places}.items() if places.get(name) != 0.0}
    return after.but(values=values)

"""Along: on a way, or on the outline of a shape, evenly from one end to the other."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.arrays.layout import MOST_PIECES, Laid, Layout, Size, even, packed, unpacked, upright
from fern_tide.core.scene.course import way_curves
from fern_tide.core.scene.placement import above, in_scene
from fern_tide.core.scene.rotation import steady_turns
from fern_tide.core.scene.way import Way, of_curves

if TYPE_CHECKING:
    from fern_tide.core.scene.scene import Part, Scene


class AlongParams(Params):
    """How many pieces, on which way."""

    count: Annotated[int, Field(ge=1, le=MOST_PIECES), unit("", "How many pieces there are.")] = 12
    way: Annotated[str, Field(max_length=120), unit("", "The part that they stand on.", kind="part")] = ""
    begin: Annotated[
        float, Field(ge=0, le=1), unit("", "Where on it the first stands, as a share of its length.", label="First at")
    ] = 0.0
    end: Annotated[float, Field(ge=0, le=1), unit("", "Where the last stands.", label="Last at")] = 1.0
    facing: Annotated[bool, unit("", "Whether each piece faces where the way goes.", label="Face along it")] = True
    line: Annotated[str, Field(max_length=10_000_000), unit("", "The way itself.", kind="given")] = ""


def given(scene: Scene, part: Part, params: AlongParams) -> AlongParams:
    """Complete the params by the way, as the array counts it; one that is gone leaves all pieces in the middle."""
    way = next((item for item in scene.parts if item.id == params.way), None)
    curves = None if way is None or way.id == part.id else way_curves(way)
    if way is None or curves is None:
        return params.but(line="")
    matrix = np.linalg.pinv(in_scene(scene, part)) @ in_scene(scene, way)
    return params.but(line=packed(curves @ matrix[:3, :3].T + matrix[:3, 3]))


def offers(scene: Scene, part: Part) -> list[Part]:
    """List the ways and the shapes with an outline that are not in the array, nor around it."""
    without = {item.id for item in (*scene.branch(part.id), *above(scene, part))}
    return [item for item in scene.parts if item.id not in without and way_curves(item) is not None]


def _way(params: AlongParams) -> tuple[Way | None, FloatArray]:
    way = of_curves(unpacked(params.line).reshape(-1, 4, 3)) if params.line else None
    closed = params.begin == 0 and params.end == 1 and way is not None and way.closed
    return way, params.begin + even(params.count, closed=closed) * (params.end - params.begin)


def lay(params: AlongParams) -> Laid:
    """Give pieces in space: their fronts ahead, their tops up."""
    way, shares = _way(params)
    if way is None:
        return Laid({"beside": np.zeros((params.count, 3))}, upright(params.count), np.zeros((params.count, 3)))
    ahead = way.tangents(shares)
    ups = way.ups(shares, ahead)
    right = np.cross(ahead, ups, axis=0)
    turns = steady_turns(np.stack([-right, ups, ahead], axis=1)) if params.facing else upright(params.count)
    return Laid({"beside": right.T.copy()}, turns, way.points(shares).T.copy())


def flat(params: AlongParams) -> Laid:
    """Give pieces on a stage: their right ahead. A stage counts down, and turns clockwise; a layout does neither."""
    way, shares = _way(params)
    if way is None:
        return lay(params)
    up = np.array([1.0, -1.0, 0.0])
    x, y, _ = way.tangents(shares)
    turns = upright(params.count)
    if params.facing:
        turns[2] = -np.degrees(np.unwrap(np.arctan2(y, x)))
    return Laid({"beside": np.stack([-y, x, np.zeros_like(x)], axis=1) * up}, turns, way.points(shares).T * up)


LAYOUT = Layout(
    id="along",
    label="Along a way",
    help="On a way, or on the outline of a shape.",
    params=AlongParams,
    sizes=(Size("beside", "Beside the way", 0.0),),
    count=lambda params: params.count,
    lay=lay,
    flat=flat,
    given=given,
    offers=offers,
)

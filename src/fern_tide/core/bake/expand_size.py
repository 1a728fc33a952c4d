"""How much arrays are, written out piece by piece: seen before it is worked out."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from math import ceil

from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.pieces import is_of_pieces
from fern_tide.core.base.errors import FernTideError
from fern_tide.core.scene.arrays.field import ArrayParams
from fern_tide.core.scene.arrays.sources import sources_of
from fern_tide.core.scene.drawn_outlines import drawn_outlines
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.scene import Part, Scene

MOST_EXPANDED = 20_000
"""Parts that arrays are written out as."""
MOST_WRITTEN = 20_000_000
"""Values, a frame each, of all pieces together."""
_OF_A_DROP = 6  # three of its place, three of its size


def n_expanded(scene: Scene) -> int:
    """Count the parts that the arrays of a scene are written out as, at most: their pieces are made in turn."""
    count = 0
    for part in scene.parts:
        if isinstance(part.shape.params, ArrayParams):
            inside = [len(scene.branch(source.id)) for source in sources_of(scene, part)]
            count += part.shape.params.n_pieces * (2 + max(inside, default=0))
    return count


def n_values(scene: Scene, curves: Iterable[Curve]) -> tuple[int, int]:
    """Count the values that are written: those of arrays' pieces, at most, and those of all else.

    Args:
        scene: whose arrays.
        curves: of all that is driven.
    """
    of_arrays = of_others = n_frames = 0
    for curve in curves:
        n_frames = max(n_frames, curve.values.shape[-1])
        part, name = scene.part(curve.target.part), curve.target.property
        params = part.shape.params
        if isinstance(params, ArrayParams) and (
            is_of_pieces(part, name) or name in {item.id for item in params.own_properties("3d")}
        ):
            of_arrays += params.n_pieces * curve.values.size
        else:
            of_others += curve.values.size
    for part in scene.parts:
        params = part.shape.params
        if isinstance(params, ArrayParams) and params.layout.spec.throws is not None:
            of_arrays += params.n_pieces * n_frames * _OF_A_DROP
    return of_arrays, of_others


def n_outlined(scene: Scene, curves: Iterable[Curve], *, parts: Collection[str] | None = None) -> int:
    """Count the numbers of outlines that shapers move, in all frames: what a format that carries them writes at most.

    Args:
        scene: in 2D; curves of drawings count as the file has them, and what lies in an array with each piece.
        curves: of all that is driven.
        parts: the ids of the parts that are written, each with all that is inside it; None is every part.

    Raises:
        FernTideError: there are too many to be written; it names the part.
    """
    within = None if parts is None else {part.id for one in parts for part in scene.branch(one)}
    total = 0
    shaped: dict[str, int] = {}
    for curve in curves:
        part = scene.part(curve.target.part)
        if within is not None and part.id not in within:
            continue
        if part.kind.space == "2d" and any(item.id == curve.target.property for item in part.shaped):
            shaped[part.id] = max(shaped.get(part.id, 0), curve.n_frames)
    for part_id, n_frames in shaped.items():
        part = scene.part(part_id)
        if part.kind.vertices is not None:
            n_points = 3 * part.kind.vertices(part.shape.params)
        else:
            n_points = sum(len(one.own) for one in drawn_outlines(scene, SceneMedia(), part))
        total += 2 * n_points * n_frames * _n_copies(scene, part)
        if total > MOST_WRITTEN:
            words = f"The outlines of {part.name} are {total:,} numbers in all frames; at most {MOST_WRITTEN:,} are."
            raise FernTideError(words, remedy="Shape less of it, or hand off CSV or JSON.")
    return total


def _n_copies(scene: Scene, part: Part) -> int:
    """Count how often a part is written, at most: in an array, once for each piece that is made from what it is in."""
    times = 1
    for item in scene.parts:
        params = item.shape.params
        if isinstance(params, ArrayParams) and part in scene.branch(item.id):
            times *= ceil(params.n_pieces / max(1, len(sources_of(scene, item))))
    return times


def check_size(scene: Scene, curves: Iterable[Curve]) -> None:
    """See that arrays written out piece by piece are not too much.

    Args:
        scene: whose arrays.
        curves: of all that is driven.

    Raises:
        FernTideError: there would be too many parts, or too many values; it says how many.
    """
    values, _ = n_values(scene, curves)
    for number, most, words in ((n_expanded(scene), MOST_EXPANDED, "parts"), (values, MOST_WRITTEN, "values")):
        if number > most:
            raise FernTideError(
                f"Written out piece by piece the arrays are {number:,} {words}; at most {most:,} are.",
                remedy="Use fewer pieces, or drive less of them, for this format.",
            )

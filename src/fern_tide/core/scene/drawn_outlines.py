"""Outlines as they are drawn before any shaper: of a shape that is made here, and of all that lies in an element."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.parts.svg_element import ATTRIBUTES
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.core.scene.svg.geometry import Matrix, matrix_of, place, product, viewed
from fern_tide.core.scene.svg.outline import OUTLINED, strokes_of
from fern_tide.core.scene.svg.parts import UNSEEN, Sheet
from fern_tide.core.scene.svg.picture import PLACE_NAMES

_Strokes = list[tuple[FloatArray, bool]]
_Placed = tuple[int, _Strokes, Matrix]
"""An element's place in its file, its strokes, and what takes its px to those of the part that is shaped."""
_STILL = (1.0, 0.0, 0.0, 1.0, 0.0, 0.0)
OWN = -1
"""The place in a file of a shape that is made here."""
_FINE = 24  # of the longest side: no curve is longer than such a piece of it
_MOST_POINTS = 60_000  # of a part: where there would be more, curves stay longer


@dataclass(frozen=True)
class Stroke:
    """Curves that begin where the one before ends, and whether the last one ends where the first begins."""

    n_curves: int
    closed: bool

    @property
    def n_points(self) -> int:
        """How many points it has: its first, and three of each curve."""
        return 3 * self.n_curves + 1


@dataclass(frozen=True)
class Drawn:
    """An outline as it is drawn before any shaper.

    Attributes:
        node: see Outline.
        strokes: see Outline.
        points: as bytes, so that it can be looked up.
        matrix: from the element's px to those of the part that is shaped.
    """

    node: int
    strokes: tuple[Stroke, ...]
    points: bytes
    matrix: Matrix

    @cached_property
    def inside(self) -> FloatArray:
        """Its points in the px of the part that is shaped, shape (points, 2)."""
        a, b, c, d, e, f = self.matrix
        return np.asarray(self.own @ np.array([[a, b], [c, d]]) + np.array([e, f]))

    @property
    def ends(self) -> FloatArray:
        """Where its curves end, in the px of the part that is shaped, shape (ends, 2)."""
        firsts = np.cumsum([0, *(stroke.n_points for stroke in self.strokes)])
        return np.concatenate([self.inside[a:b:3] for a, b in pairwise(firsts.tolist())])

    @cached_property
    def own(self) -> FloatArray:
        """Its points in its own px, shape (points, 2)."""
        return np.frombuffer(self.points, dtype=np.float64).reshape(-1, 2)


def drawn_outlines(scene: Scene, media: SceneMedia, part: Part) -> tuple[Drawn, ...]:
    """Give the outlines of a part as they are drawn; none where there are none.

    Args:
        scene: whose part it is; elements that lie in it count as they stand at rest.
        media: what the scene's parts were brought in with.
        part: of a 2D scene.
    """
    if part.kind.draw is not None and not part.kind.in_file:
        element = part.kind.draw(part.shape.params, part.id)
        strokes = strokes_of(element.tag, element.attributes)
        return tuple(_listed([(OWN, strokes, _STILL)]))
    sheet = media.sheets.get(scene.file(part.file).media)
    if sheet is None:
        return ()
    theirs = tuple(item for item in scene.parts if item.file == part.file and item.id != part.id)
    top = max(0, part.file_index)
    outlines: tuple[Drawn, ...]
    known, outlines = sheet.outlines.get(top, ((), ()))
    if len(known) == len(theirs) and all(a is b for a, b in zip(known, theirs, strict=True)) and outlines:
        return outlines
    inside = {item.file_index: item for item in theirs if item.kind.in_file == "element"}
    outlines = tuple(_listed(_walked(scene, sheet, top, inside)))
    sheet.outlines[top] = (theirs, outlines)
    return outlines


def _walked(scene: Scene, sheet: Sheet, top: int, parts: Mapping[int, Part]) -> Iterable[_Placed]:
    """Give the outlines in an element, each with its strokes and what takes its own px to the px of that element."""
    nodes = sheet.drawing.nodes
    reached: list[tuple[int, Matrix]] = [(top, _STILL)]
    while reached:
        index, matrix = reached.pop()
        node, part = nodes[index], parts.get(index)
        if node.tag in UNSEEN:
            continue
        if index != top:
            matrix = product(matrix, _placed(scene, part, sheet.attributes[index].get("transform", "")))
            matrix = product(matrix, viewed(sheet.attributes[index])) if node.tag == "svg" else matrix
        if (
            node.tag in OUTLINED
            and sheet.n_curves[index]
            and abs(matrix[0] * matrix[3] - matrix[1] * matrix[2]) > 1e-12
        ):
            yield index, _strokes(sheet, index, part), matrix
        reached += [(child, matrix) for child in reversed(node.children)]


def _placed(scene: Scene, part: Part | None, base: str) -> Matrix:
    """Give where an element stands at rest in what it lies in."""
    matrix = matrix_of(base)
    for item in () if part is None else (part, *reversed(scene.gatherings(part))):
        if item.has("x"):
            at = [float(item.own(name)) for name in PLACE_NAMES]
            matrix = product(matrix_of(place(at, anchor=(item.anchor.x, item.anchor.y), base="")), matrix)
    return matrix


def _strokes(sheet: Sheet, index: int, part: Part | None) -> _Strokes:
    """Give an element's strokes; its sizes are those that it has at rest."""
    values = {} if part is None else {name: value for name, value in part.values.items() if name in ATTRIBUTES}
    if not values:
        return sheet.strokes(index)
    sizes = {ATTRIBUTES[name][1]: str(value) for name, value in values.items()}
    return strokes_of(sheet.drawing.nodes[index].tag, {**sheet.attributes[index], **sizes})


def _listed(outlines: Iterable[_Placed]) -> Iterable[Drawn]:
    """Give outlines as points, in pieces so short that a bend takes them well."""
    listed = [(node, [one for one in strokes if len(one[0])], matrix) for node, strokes, matrix in outlines]
    listed = [(node, strokes, matrix) for node, strokes, matrix in listed if strokes]
    ends = [
        curves[:, ::3, :2].reshape(-1, 2) @ linear(matrix) + np.array(matrix[4:])
        for _, strokes, matrix in listed
        for curves, _ in strokes
    ]
    if not ends:
        return
    side = float(np.ptp(np.concatenate(ends), axis=0).max())
    reach = sum(_growth(matrix) * float(_reach(curves).sum()) for _, strokes, matrix in listed for curves, _ in strokes)
    longest = max(side / _FINE, 3 * reach / _MOST_POINTS)
    for node, strokes, matrix in listed:
        fine = [(_pieces(curves[:, :, :2], longest / _growth(matrix)), closed) for curves, closed in strokes]
        points = np.concatenate([_points(curves) for curves, _ in fine])
        shape = tuple(Stroke(len(curves), closed) for curves, closed in fine)
        yield Drawn(node, shape, np.ascontiguousarray(points).tobytes(), matrix)


def linear(matrix: Matrix) -> FloatArray:
    """Give what a transform does to directions, which stand in rows; shape (2, 2)."""
    return np.array([[matrix[0], matrix[1]], [matrix[2], matrix[3]]])


def _growth(matrix: Matrix) -> float:
    return float(np.linalg.norm(linear(matrix), 2))


def _points(curves: FloatArray) -> FloatArray:
    return np.concatenate([curves[0, :1], curves[:, 1:].reshape(-1, 2)])


def _reach(curves: FloatArray) -> FloatArray:
    """Give how long curves are at most: their points joined by lines, shape (curves,)."""
    return np.asarray(np.linalg.norm(np.diff(curves[:, :, :2], axis=1), axis=2).sum(axis=1))


def _pieces(curves: FloatArray, longest: float) -> FloatArray:
    """Cut curves into pieces that are no longer than so, which stay the very same curves (de Casteljau)."""
    out = []
    for curve, reach in zip(curves, _reach(curves).tolist(), strict=True):
        count = int(np.ceil(reach / longest)) if longest > 0 else 1
        rest = curve
        for left in range(count, 1, -1):
            first, rest = _cut(rest, 1.0 / left)
            out.append(first)
        out.append(rest)
    return np.stack(out)


def _cut(curve: FloatArray, at: float) -> tuple[FloatArray, FloatArray]:
    levels = [curve]
    while len(levels[-1]) > 1:
        levels.append(levels[-1][:-1] + at * np.diff(levels[-1], axis=0))
    return np.stack([level[0] for level in levels]), np.stack([level[-1] for level in reversed(levels)])

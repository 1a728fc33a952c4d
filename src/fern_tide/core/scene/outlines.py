"""Outlines of 2D parts that shapers give another shape: cubic curves whose points move as a solid's vertices do.

A mesh counts up, a stage down; so an outline is shaped upside down, at z = 0, and turned back. A handle goes where the
shape takes what lies a little along it, so that smooth joints stay smooth.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from fern_tide.core.base.signal import FloatArray, fingerprint, frozen
from fern_tide.core.scene.drawn_outlines import OWN, Drawn, Stroke, drawn_outlines, linear
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.mesh import Mesh
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.core.scene.shaping import Shaping, seen_of, shapes_of
from fern_tide.core.scene.svg.geometry import number

OUTLINE = "outline"
"""What the slot of an outline's element begins with; its place in its file follows."""
_NEAR = 1e-3  # of a handle: how far along it is looked for, where it goes
_DIGITS = 3  # of a pixel
_DOWN = np.array([1.0, -1.0])


@dataclass(frozen=True)
class Outline:
    """The outline of one element, and what each shape adds to it.

    Attributes:
        node: the element's place in its file; OWN of a shape that is made here.
        strokes: its strokes.
        points: the points of all strokes in the element's own px, shape (points, 2).
        shapes: what each shape adds at 1, shape (shapes, points, 2).
    """

    node: int
    strokes: tuple[Stroke, ...]
    points: FloatArray
    shapes: FloatArray

    def at(self, seen: FloatArray) -> FloatArray:
        """Give its points, shape (..., points, 2), where so much of each shape is seen, shape (..., shapes)."""
        return np.asarray(self.points + np.tensordot(seen, self.shapes, axes=1))

    def curves(self, points: FloatArray) -> list[tuple[FloatArray, bool]]:
        """Give points as the curves of each stroke, shape (curves, 4, 2), and whether it is closed."""
        strokes, at = [], 0
        for stroke in self.strokes:
            first = at + 3 * np.arange(stroke.n_curves)
            strokes.append((points[first[:, np.newaxis] + np.arange(4)], stroke.closed))
            at += stroke.n_points
        return strokes

    def data(self, points: FloatArray) -> str:
        """Write points as path data, to a thousandth of a pixel."""
        texts, pieces, at = [f"{number(x)} {number(y)}" for x, y in np.round(points, _DIGITS).tolist()], [], 0
        for stroke in self.strokes:
            mine = texts[at : at + stroke.n_points]
            curves = (" ".join(mine[place : place + 3]) for place in range(1, stroke.n_points, 3))
            pieces.append(f"M{mine[0]}" + "".join(f"C{one}" for one in curves) + ("Z" if stroke.closed else ""))
            at += stroke.n_points
        return "".join(pieces)

    def read(self, points: FloatArray) -> FloatArray:
        """Give how much of each shape is seen, shape (shapes, frames), from points, shape (points, 2, frames)."""
        n_shapes, n_frames = len(self.shapes), points.shape[-1]
        off = (points - self.points[..., np.newaxis]).reshape(-1, n_frames)
        return np.asarray(np.linalg.lstsq(self.shapes.reshape(n_shapes, -1).T, off, rcond=1e-9)[0])

    @property
    def strength(self) -> float:
        """How far its shapes move it: what is read back, is read from the one that moves most."""
        return float(np.abs(self.shapes).sum())


def outlines_of(scene: Scene, media: SceneMedia, part: Part) -> tuple[Outline, ...]:
    """Give the outlines of a part with shapers; none of any other.

    Args:
        scene: whose part it is; elements that lie in it count as they stand at rest.
        media: what the scene's parts were brought in with.
        part: of a 2D scene.
    """
    if not part.shapers:
        return ()
    return _shaped(drawn_outlines(scene, media, part), part.shapers)


def outline_box(scene: Scene, media: SceneMedia, part: Part) -> tuple[FloatArray, FloatArray] | None:
    """Give the box about a part's outlines before any shaper, as shapers count it: its low and high corner, (3,).

    Up is y there, and z is 0; None of what has no outline.
    """
    points = [one.ends for one in drawn_outlines(scene, media, part)]
    if not points:
        return None
    every = np.concatenate(points) * _DOWN
    return np.append(every.min(axis=0), 0.0), np.append(every.max(axis=0), 0.0)


def outlines_key(scene: Scene, media: SceneMedia, part: Part) -> str:
    """Give a fingerprint of a part's outlines and of what its shapers make of them."""
    return _key(drawn_outlines(scene, media, part), part.shapers)


@lru_cache(maxsize=64)
def _key(drawn: tuple[Drawn, ...], shapers: tuple[Shaping, ...]) -> str:
    about = [[one.node, [[s.n_curves, s.closed] for s in one.strokes], one.points.hex(), one.matrix] for one in drawn]
    return fingerprint({"outlines": about, "shapers": [one.model_dump(mode="json") for one in shapers]})[:16]


def elements_of(scene: Scene, part: Part, outlines: Sequence[Outline]) -> list[tuple[str, str]]:
    """Give the part and the slot by which the element of each of a part's outlines is known in a drawing."""
    theirs = [item for item in scene.parts if item.file == part.file] if part.kind.in_file else []
    owners = {item.file_index: item.id for item in theirs}
    root = next((item.id for item in theirs if item.kind.in_file == "file"), part.id)
    owners[OWN] = part.id
    return [(owners[one.node], "own") if one.node in owners else (root, f"n{one.node}") for one in outlines]


def seen_at(part: Part, value_of: Callable[[str], float | str]) -> FloatArray:
    """Give how much of every shape of a part is seen, shape (shapes,), for what value_of gives of each property."""
    amounts = {item.id: np.array([float(value_of(item.id))]) for item in part.shaped}
    return seen_of(part.shapers, amounts)[:, 0]


def seen_rows(part: Part, rows: Mapping[str, FloatArray]) -> FloatArray:
    """Give how much of every shape is seen, shape (shapes, frames), from the values of its properties, (frames,)."""
    return seen_of(part.shapers, {item.id: rows[item.id] for item in part.shaped})


@lru_cache(maxsize=64)
def _shaped(drawn: tuple[Drawn, ...], shapers: tuple[Shaping, ...]) -> tuple[Outline, ...]:
    """Shape all outlines of a part as one: remembered, since it is asked for with every picture."""
    if not drawn:
        return ()
    near = [_near(outline) for outline in drawn]
    positions = np.concatenate([points for points, _ in near])
    normals = np.concatenate([facing for _, facing in near])
    flat = np.zeros((len(positions), 1))
    mesh = Mesh(
        np.concatenate([positions * _DOWN, flat], axis=1),
        np.concatenate([normals * _DOWN, flat], axis=1),
        np.zeros((0, 3), dtype=np.uint32),
        is_flat=True,
    )
    added = shapes_of(mesh, shapers)[:, :, :2] * _DOWN
    shaped, at = [], 0
    for outline in drawn:
        n = len(outline.own)
        shapes = _with_handles(outline, added[:, at : at + n]) @ np.linalg.inv(linear(outline.matrix))
        shaped.append(Outline(outline.node, outline.strokes, frozen(outline.own.copy()), frozen(shapes)))
        at += n
    return tuple(shaped)


def _near(outline: Drawn) -> tuple[FloatArray, FloatArray]:
    """Give ends as they are and handles very near to their ends, and the way out at each; both (points, 2)."""
    points, at = outline.inside.copy(), 0
    out = np.zeros_like(points)
    for stroke in outline.strokes:
        mine = slice(at, at + stroke.n_points)
        whole = outline.inside[mine]
        ends = whole[::3]
        points[mine][1::3] = ends[:-1] + _NEAR * (whole[1::3] - ends[:-1])
        points[mine][2::3] = ends[1:] + _NEAR * (whole[2::3] - ends[1:])
        facing = _ways_out(whole, closed=stroke.closed or bool(np.allclose(ends[0], ends[-1])))
        out[mine][::3], out[mine][1::3], out[mine][2::3] = facing, facing[:-1], facing[1:]
        at += stroke.n_points
    return points, out


def _ways_out(points: FloatArray, *, closed: bool) -> FloatArray:
    """Give the way out at each end of a stroke's curves, of length 1; of an open one to the left of where it goes."""
    ends = points[::3]
    after = _first_way(points[1::3] - ends[:-1], points[2::3] - ends[:-1], ends[1:] - ends[:-1])
    before = _first_way(ends[1:] - points[2::3], ends[1:] - points[1::3], ends[1:] - ends[:-1])
    ways = np.zeros_like(ends)
    ways[:-1] += after
    ways[1:] += before
    if closed:
        ways[0] = ways[-1] = after[0] + before[-1]
    x, y = ends[:-1].T
    turning = float(np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)))
    side = np.stack([ways[:, 1], -ways[:, 0]], axis=1) * (-1.0 if turning < 0 and closed else 1.0)
    return np.asarray(side / np.maximum(np.linalg.norm(side, axis=1, keepdims=True), 1e-12))


def _first_way(*ways: FloatArray) -> FloatArray:
    """Give the first of several ways that has a length, as one of length 1; (ways, 2)."""
    chosen = np.zeros_like(ways[0])
    for way in reversed(ways):
        long = np.linalg.norm(way, axis=1, keepdims=True)
        chosen = np.where(long > 1e-9, way / np.maximum(long, 1e-12), chosen)
    return chosen


def _with_handles(outline: Drawn, added: FloatArray) -> FloatArray:
    """Give what shapes add to ends and handles, shape (shapes, points, 2), from ends and what lies near to them."""
    shapes, at = added.copy(), 0
    for stroke in outline.strokes:
        mine = added[:, at : at + stroke.n_points]
        ends, last = mine[:, ::3], at + stroke.n_points
        shapes[:, at + 1 : last : 3] = ends[:, :-1] + (mine[:, 1::3] - ends[:, :-1]) / _NEAR
        shapes[:, at + 2 : last : 3] = ends[:, 1:] + (mine[:, 2::3] - ends[:, 1:]) / _NEAR
        at += stroke.n_points
    return shapes

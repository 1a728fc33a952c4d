"""Words as meshes, from the outlines of the shipped fonts: glyphs.npz, which scripts/glyphs.py makes."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache, lru_cache
from importlib.resources import files

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import FloatArray, frozen
from fern_tide.core.scene.mesh import Mesh


@dataclass(frozen=True)
class _Font:
    """Glyphs by letter: how wide each is, and its points, triangles and edges, in em."""

    places: dict[str, int]
    widths: FloatArray
    points: list[FloatArray]
    triangles: list[npt.NDArray[np.int64]]
    edges: list[npt.NDArray[np.int64]]


@cache
def _font(name: str) -> _Font:
    with (files("fern_tide.core.scene") / "glyphs.npz").open("rb") as stream, np.load(stream) as glyphs:

        def parts(what: str) -> list[npt.NDArray[np.generic]]:
            return np.split(glyphs[f"{name}_{what}"], glyphs[f"{name}_{what}_ends"][:-1].astype(np.int64))

        return _Font(
            places={chr(code): place for place, code in enumerate(glyphs[f"{name}_letters"].tolist())},
            widths=glyphs[f"{name}_widths"].astype(np.float64),
            points=[part.astype(np.float64) for part in parts("points")],
            triangles=[part.astype(np.int64) for part in parts("triangles")],
            edges=[part.astype(np.int64) for part in parts("edges")],
        )


def lettering(words: str, *, font: str, size: float, thickness: float) -> Mesh:
    """Give words as a mesh, centred on x = 0, standing on y = 0, the front towards +z.

    Args:
        words: one line; a letter that the font lacks is left as a space.
        font: serif, sans or mono.
        size: of the letters' em, in metres.
        thickness: from front to back, in metres.
    """
    font_data = _font(font)
    glyphs = [font_data.places.get(letter, font_data.places[" "]) for letter in words]
    starts = np.concatenate([[0.0], np.cumsum(font_data.widths[glyphs])])
    positions: list[FloatArray] = [np.zeros((0, 3))]
    normals: list[FloatArray] = [np.zeros((0, 3))]
    triangles: list[npt.NDArray[np.int64]] = [np.zeros((0, 3), dtype=np.int64)]
    count = 0
    for glyph, start in zip(glyphs, starts[:-1].tolist(), strict=True):
        flat = (font_data.points[glyph] + np.array([start - starts[-1] / 2, 0.0])) * size
        for part in _extruded(flat, font_data.triangles[glyph], font_data.edges[glyph], thickness / 2):
            positions.append(part.positions)
            normals.append(part.normals)
            triangles.append(part.triangles.astype(np.int64) + count)
            count += len(part.positions)
    return Mesh(np.concatenate(positions), np.concatenate(normals), np.concatenate(triangles).astype(np.uint32))


@lru_cache(maxsize=4096)
def glyph_loops(letter: str, font: str) -> tuple[float, tuple[FloatArray, ...]]:
    """Give how wide a letter is, in em, and its outlines on a page: closed loops in em, standing on y = 0, y downwards.

    Args:
        letter: which; one that the font lacks is a space.
        font: serif, sans or mono.

    Returns:
        The width, and loops of shape (points, 2); holes go round the other way.
    """
    font_data = _font(font)
    glyph = font_data.places.get(letter, font_data.places[" "])
    points = font_data.points[glyph] * np.array([1.0, -1.0])
    following = dict(font_data.edges[glyph].tolist())
    loops = []
    while following:
        first, at = next(iter(following.items()))
        way = [first]
        del following[first]
        while at in following:
            way.append(at)
            at = following.pop(at)
        loops.append(frozen(points[way]))
    return float(font_data.widths[glyph]), tuple(loops)


def _extruded(
    flat: FloatArray, faces: npt.NDArray[np.int64], edges: npt.NDArray[np.int64], half: float
) -> tuple[Mesh, ...]:
    """A glyph's front, back and sides."""

    def at(points: FloatArray, z: float) -> FloatArray:
        return np.column_stack([points, np.full(len(points), z)])

    front = Mesh(at(flat, half), np.tile([0.0, 0.0, 1.0], (len(flat), 1)), faces.astype(np.uint32))
    back = Mesh(at(flat, -half), np.tile([0.0, 0.0, -1.0], (len(flat), 1)), faces[:, ::-1].astype(np.uint32))
    a, b = flat[edges[:, 0]], flat[edges[:, 1]]
    along = b - a
    length = np.maximum(np.hypot(along[:, 0], along[:, 1]), 1e-12)[:, np.newaxis]
    out = np.column_stack([along[:, 1], -along[:, 0]]) / length
    corners = np.stack([at(a, half), at(a, -half), at(b, -half), at(b, half)], axis=1).reshape(-1, 3)
    facing = np.repeat(np.column_stack([out, np.zeros(len(out))]), 4, axis=0)
    first = 4 * np.arange(len(edges))[:, np.newaxis]
    order = np.concatenate([first + np.array([0, 1, 2]), first + np.array([0, 2, 3])])
    return front, back, Mesh(corners, facing, order.astype(np.uint32))

"""Sound graphics: a row of levels drawn as a line, bars, a mirrored band, or a ring; in 2D and as meshes."""

from __future__ import annotations

import re
from enum import StrEnum
from functools import cache
from math import cos, pi, sin

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene.mesh import Mesh, box
from fern_tide.core.scene.properties import Property

_NUMBER = re.compile(r"-?\d+(?:\.\d+)?")
MOST_POINTS = 128
BAR_SHARE = 0.7


class GraphicForm(StrEnum):
    """How the levels are drawn."""

    LINE = "line"
    BARS = "bars"
    MIRRORED = "mirrored"
    RING = "ring"


@cache
def level_properties(points: int) -> tuple[Property, ...]:
    """Give the levels as properties: level_0 is the first point; 0 is flat, 1 as tall as the graphic."""
    return tuple(
        Property(f"level_{place}", f"Level {place + 1}", low=0.0, default=0.0, swing=1.0) for place in range(points)
    )


def is_level(name: str) -> bool:
    """Say whether a property is one of a sound graphic's levels."""
    return name.startswith("level_")


# --- 2D: path data, and the levels back out of it


def outline(form: GraphicForm, levels: FloatArray, *, width: float, height: float) -> str:
    """Draw levels about the origin as SVG path data.

    Args:
        form: how.
        levels: shape (points,).
        width: from the first to the last point, or across the ring, in px.
        height: how far level 1 reaches, in px.
    """
    n = len(levels)
    if form is GraphicForm.RING:
        points = [_ring_point(place, n, width / 2 + level * height) for place, level in enumerate(levels.tolist())]
        return "M" + "L".join(points) + "Z"
    xs = [width * ((place + 0.5) / n - 0.5) for place in range(n)]
    if form is GraphicForm.BARS:
        half = width / n * BAR_SHARE / 2
        return "".join(
            f"M{_text(x - half)} 0V{_text(-level * height)}H{_text(x + half)}V0Z"
            for x, level in zip(xs, levels.tolist(), strict=True)
        )
    top = [f"{_text(x)} {_text(-level * height)}" for x, level in zip(xs, levels.tolist(), strict=True)]
    if form is GraphicForm.LINE:
        return "M" + "L".join(top)
    low = [f"{_text(x)} {_text(level * height)}" for x, level in zip(xs, levels.tolist(), strict=True)]
    return "M" + "L".join([*top, *reversed(low)]) + "Z"


def _text(value: float) -> str:
    text = f"{value:.2f}"
    return "0.00" if text == "-0.00" else text


def _ring_point(place: int, n: int, radius: float) -> str:
    turn = 2 * pi * place / n - pi / 2
    return f"{_text(radius * cos(turn))} {_text(radius * sin(turn))}"


def levels_in(form: GraphicForm, data: str, *, width: float, height: float, points: int) -> FloatArray:
    """Read the levels back out of path data that `outline` wrote; shape (points,)."""
    numbers = np.array([float(text) for text in _NUMBER.findall(data)])
    if form is GraphicForm.BARS:
        return np.asarray(-numbers.reshape(points, 5)[:, 2] / height + 0.0)
    pairs = numbers.reshape(-1, 2)[:points]
    if form is GraphicForm.RING:
        return np.asarray((np.hypot(pairs[:, 0], pairs[:, 1]) - width / 2) / height)
    return np.asarray(-pairs[:, 1] / height + 0.0)


# --- 3D: a mesh, and how each level moves it


def solid(form: GraphicForm, points: int, *, width: float, height: float, thickness: float) -> tuple[Mesh, FloatArray]:
    """Give the mesh of a graphic at level 0, and what each level adds to it at 1.

    Args:
        form: how.
        points: how many levels.
        width: from the first to the last point, or across the ring, in metres.
        height: how far level 1 reaches.
        thickness: of the bars and of the band, in metres.

    Returns:
        The mesh, and the moves of shape (points, vertices, 3).
    """
    if form is GraphicForm.BARS:
        return _bars(points, width, height, thickness)
    return _band(form, points, width, height, thickness)


def _bars(points: int, width: float, height: float, thickness: float) -> tuple[Mesh, FloatArray]:
    one = box(width / points * BAR_SHARE, thickness, thickness)
    count = len(one.positions)
    xs = width * ((np.arange(points) + 0.5) / points - 0.5)
    positions = np.concatenate([one.positions + np.array([x, 0, 0]) for x in xs])
    triangles = np.concatenate([one.triangles + count * place for place in range(points)])
    moves = np.zeros((points, count * points, 3))
    top = one.positions[:, 1] > 0
    for place in range(points):
        moves[place, count * place : count * (place + 1), 1] = top * height
    return Mesh(positions, np.tile(one.normals, (points, 1)), triangles.astype(np.uint32)), moves


def _band(form: GraphicForm, points: int, width: float, height: float, thickness: float) -> tuple[Mesh, FloatArray]:
    """Two rows of vertices, one over the other (in a ring one outside the other), with faces between them."""
    ring = form is GraphicForm.RING
    place = np.arange(points)
    positions, out = np.zeros((2, points, 3)), np.zeros((points, 3))
    if ring:
        turn = 2 * np.pi * place / points + np.pi / 2
        out[:, 0], out[:, 1] = np.cos(turn), np.sin(turn)
        positions[0], positions[1] = out * width / 2, out * (width / 2 + thickness)
        positions[:, :, 1] += width / 2 + thickness
    else:
        positions[:, :, 0] = width * ((place + 0.5) / points - 0.5)
        out[:, 1] = 1.0
        positions[1, :, 1] = thickness
        if form is GraphicForm.MIRRORED:
            positions[0, :, 1], positions[1, :, 1] = -thickness / 2, thickness / 2
    moves = np.zeros((points, 2, points, 3))
    lower = {GraphicForm.LINE: 1.0, GraphicForm.MIRRORED: -1.0, GraphicForm.RING: 0.0}[form]
    moves[place, 1, place] = out * height
    moves[place, 0, place] = out * height * lower
    last = points if ring else points - 1
    a, b = np.arange(last), (np.arange(last) + 1) % points
    faces = np.concatenate([np.stack([a, b, a + points], 1), np.stack([b, b + points, a + points], 1)])
    if ring:
        faces = faces[:, ::-1]
    normals = np.tile(np.array([0.0, 0.0, 1.0]), (2 * points, 1))
    mesh = Mesh(positions.reshape(-1, 3), normals, faces.astype(np.uint32))
    return mesh, moves.reshape(points, -1, 3)

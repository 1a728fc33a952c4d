"""Anchors of several parts at once: at the same place of each."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.params import build
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.commands.several import SetAnchors
from fern_tide.core.scene.gltf.boxes import own_box, placed
from fern_tide.core.scene.gltf.container import listed
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.scene import Part
from fern_tide.workflows.derive.stages import Staged
from fern_tide.workflows.tune.make_part import anchors_of, middle_of

_NINE_X = {"left": 0.0, "right": 1.0}
_NINE_Y = {"top": 0.0, "bottom": 1.0}


def anchored(staged: Staged, parts: Sequence[str], *, word: str) -> tuple[SetAnchors, int]:
    """Put the anchors of several parts at the same place of each.

    Args:
        staged: the scene.
        parts: which.
        word: in 2D 'top left' to 'bottom right', 'centre'; in 3D 'origin', 'base', 'centre' or 'top'.

    Returns:
        The edit, and how many parts have no such place.

    Raises:
        FernTideError: none of them has.
    """
    anchors: dict[str, Anchor] = {}
    offered = _in_space(staged, parts) if staged.scene.kind == "3d" else {}
    for part_id in parts:
        anchor = offered.get(part_id, {}).get(word) if offered else _anchor_at(staged, part_id, word)
        if anchor is not None:
            anchors[part_id] = anchor
    if not anchors:
        raise FernTideError(f"None of these parts has a {word:.20} of its own.", remedy="Set their anchors one by one.")
    return SetAnchors(anchors=anchors), len(parts) - len(anchors)


def middle_in_space(staged: Staged, members: Sequence[Part]) -> Anchor:
    """Give the middle of 3D parts together, of what is seen of them, in metres of what they lie in.

    Args:
        staged: the scene.
        members: parts that lie in the same one.
    """
    points = _points(staged, members)
    if points is None:
        return Anchor()
    x, y, z = ((points.min(axis=0) + points.max(axis=0)) / 2).round(4).tolist()
    return Anchor(x=x, y=y, z=z)


def width_of(staged: Staged, part: Part) -> float:
    """Give how wide a 3D part stands in what it lies in, in metres; 0 where nothing is seen of it, and in 2D."""
    points = None if part.kind.space == "2d" else _points(staged, [part])
    return 0.0 if points is None else float(np.ptp(points[:, 0]))


def _points(staged: Staged, members: Sequence[Part]) -> FloatArray | None:
    """Give the corners of 3D parts in metres of what they lie in, shape (n, 3); the place of one without any."""
    where, places = placed(staged.built.closed()), staged.built.places
    nodes = [places.get(part.id, {}).get("node", -1) for part in members]
    seen = [where.corners.get(node, where.worlds[node][None, :3, 3]) for node in nodes if node in where.worlds]
    outer = where.worlds.get(places.get(members[0].parent or "", {}).get("node", -1), np.eye(4))
    if not seen or abs(np.linalg.det(outer)) < 1e-12:
        return None
    back = np.linalg.inv(outer)
    return np.asarray(np.concatenate(seen) @ back[:3, :3].T + back[:3, 3])


def _in_space(staged: Staged, parts: Sequence[str]) -> dict[str, dict[str, Anchor]]:
    """Give the anchors that 3D parts have, by their words: those of solids, and of what has something to see in it."""
    gltf = staged.built.closed()
    where, nodes = placed(gltf), listed(gltf.json, "nodes")
    offered: dict[str, dict[str, Anchor]] = {}
    for part in (staged.scene.part(name) for name in parts):
        if part.has("x"):
            node = staged.built.places.get(part.id, {}).get("node", -1)
            box = own_box(where, nodes, node) if part.kind.solid is None else None
            offered[part.id] = {"origin": Anchor(word="origin")} | (
                middle_of(part) if box is None else anchors_of(*box)
            )
    return offered


def _anchor_at(staged: Staged, part_id: str, word: str) -> Anchor | None:
    part = staged.scene.part(part_id)
    if not part.has("x"):
        return None
    extent = staged.extents.get(part_id)
    if extent is None or extent.own is None:
        return None
    left, top, right, bottom = extent.own
    words = word.split()
    across = next((_NINE_X[one] for one in words if one in _NINE_X), 0.5)
    down = next((_NINE_Y[one] for one in words if one in _NINE_Y), 0.5)
    x, y = left + across * (right - left), top + down * (bottom - top)
    return build(Anchor, {"x": round(x, 4), "y": round(y, 4), "word": word})

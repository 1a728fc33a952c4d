"""How parts show on the stage: what the page needs to put values of properties into the drawing or the 3D view."""

from __future__ import annotations

from typing import Any

from fern_tide.core.scene.drawing import TRANSFORMS, bindings, level_names
from fern_tide.core.scene.outlines import outlines_key
from fern_tide.core.scene.part import Form
from fern_tide.core.scene.scene import Part
from fern_tide.workflows.derive.stages import Staged


def head(staged: Staged, part: Part) -> dict[str, Any]:
    """Describe a part: its anchor, its own values, and the places that show them.

    Returns:
        The part's 'id'. For 2D: 'bindings', for each property the slots and attributes; 'base', the transform that an
        element came with, or None where the part has groups of its own. For 3D: 'channels', each with its pointer in
        the glTF file, its properties, its form, and of shapers how they shape. 'placed' says whether it has an anchor
        of its own. 'above' are the anchors and own values of what an element was put together in, the outermost
        first; 'moves' are the heads of the elements that move with what they were put together in.
    """
    if staged.scene.kind == "3d":
        channels = [
            [pointer, channel.names, channel.form, *([_shaping(part)] if channel.form is Form.SHAPES else [])]
            for channel, pointer in staged.built.channels(part)
        ]
        own = {item.id: part.own(item.id) for item in part.properties}
        return {
            "id": part.id,
            "space": "3d",
            "anchor": [part.anchor.x, part.anchor.y, part.anchor.z],
            "channels": channels,
            "own": own,
            "placed": bool(channels) and part.has("x"),
        }
    shown: dict[str, list[list[str]]] = {}
    for binding in bindings(part):
        shown.setdefault(binding.property, []).append([binding.slot, binding.attribute])
    placed = part.has("x")
    levels = level_names(part)
    names = {name for _, *names in TRANSFORMS.values() for name in names if placed} | shown.keys() | set(levels)
    names |= {item.id for item in part.shaped}
    base = getattr(part.shape.params, "base", None)
    inside = (item for item in staged.scene.moved_with(part.id) if item.has("x"))
    return {
        "id": part.id,
        "space": "2d",
        "anchor": [part.anchor.x, part.anchor.y],
        "own": {name: part.own(name) for name in names | _of_array(part)},
        "bindings": shown,
        "base": base if part.kind.in_file == "element" else None,
        "placed": placed,
        "above": [_link(item) for item in staged.scene.gatherings(part)],
        "moves": {item.id: head(staged, item) for item in inside},
        "shaped": _shaped_outlines(staged, part) if part.shapers else None,
        "outline": part.shape.params.model_dump(mode="json") | {"names": levels} if levels else None,
    }


def _shaped_outlines(staged: Staged, part: Part) -> dict[str, Any]:
    """Say how amounts become how much of each shape is seen, and by what key the outlines are asked for."""
    return {"key": outlines_key(staged.scene, staged.media, part), "shaping": _shaping(part)}


def _shaping(part: Part) -> list[dict[str, Any]]:
    """Say how amounts of a part's shapers become how much of each shape is seen."""
    return [
        {
            "law": one.shaper.spec.law,
            "names": [item.id for item in one.properties_in(part.kind.space)],
            "rest": one.rest,
            "steps": one.steps.tolist(),
        }
        for one in part.shapers
    ]


def _of_array(part: Part) -> set[str]:
    """Give all properties of an array: its pieces are looked up by them."""
    return {item.id for item in part.properties} if part.kind.pieces else set()


def _link(part: Part) -> dict[str, Any]:
    own = {name: part.own(name) for _, *names in TRANSFORMS.values() for name in names}
    return {"id": part.id, "anchor": [part.anchor.x, part.anchor.y], "own": own}

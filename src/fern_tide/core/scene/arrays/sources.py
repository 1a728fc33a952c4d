"""What an array's pieces are made from: the parts that lie in it."""

from __future__ import annotations

from fern_tide.core.scene.scene import Part, Scene


def sources_of(scene: Scene, part: Part) -> tuple[Part, ...]:
    """List the parts that an array's pieces are made from, in the order of the tree."""
    return tuple(item for item in scene.parts if item.parent == part.id)

"""A scene's parts and properties as plain data."""

from __future__ import annotations

from fern_tide.core.scene.scene import Scene


def describe(scene: Scene) -> dict[str, object]:
    """List parts and properties as plain data, for the command line and other programs."""
    return {
        "name": scene.name,
        "kind": scene.kind,
        "width": scene.width,
        "height": scene.height,
        "parts": [
            {
                "id": part.id,
                "name": part.name,
                "kind": part.shape.id,
                "parent": part.parent,
                "anchor": part.anchor.model_dump(),
                "properties": [
                    {
                        "id": item.id,
                        "name": item.label,
                        "kind": item.kind,
                        "unit": item.unit,
                        "range": [item.low, item.high],
                        "rest": part.own(item.id),
                    }
                    for item in part.properties
                ],
            }
            for part in scene.parts
        ],
    }

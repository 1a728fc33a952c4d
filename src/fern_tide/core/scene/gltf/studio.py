"""The studio light as lamps in a file: glTF's core has no light from all around, so three stand for it.

KHR_lights_punctual: a directional light shines along -z of its node; its intensity is in lux.
"""

from __future__ import annotations

import numpy as np

from fern_tide.core.scene.gltf.built import Built
from fern_tide.core.scene.gltf.container import Json, items_of
from fern_tide.core.scene.studio_light import StudioLight

_LAMPS = (
    ("Studio key", (1.2, 2.5, 5.0), 3.7, (1.0, 0.94, 0.82)),
    ("Studio fill", (-4.0, 2.0, 3.0), 1.65, (0.86, 0.88, 0.86)),
    ("Studio back", (0.0, 3.0, -4.0), 1.65, (1.0, 1.0, 1.0)),
)
"""Name, where it shines from, lux at strength 1, linear colour: as the stage's own lamps for simple surfaces."""


def add_studio(built: Built, light: StudioLight) -> None:
    """Add the studio light to a built file, as three lamps under one node that turns them; nothing where it is off."""
    if not light.on or light.strength == 0:
        return
    document = built.gltf.json
    built.use("KHR_lights_punctual")
    lights = document.setdefault("extensions", {}).setdefault("KHR_lights_punctual", {"lights": []})["lights"]
    nodes = document.setdefault("nodes", [])
    children = []
    for name, source, lux, colour in _LAMPS:
        node: Json = {"name": name, "rotation": _from(np.array(source))}
        node["extensions"] = {"KHR_lights_punctual": {"light": len(lights)}}
        lights.append({"name": name, "type": "directional", "intensity": lux * light.strength, "color": list(colour)})
        children.append(len(nodes))
        nodes.append(node)
    half = np.radians(light.turn_degrees) / 2
    turn = [0.0, float(np.sin(half)), 0.0, float(np.cos(half))]
    scene = items_of(document, "scenes")[document.get("scene", 0)]
    scene.setdefault("nodes", []).append(len(nodes))
    nodes.append({"name": "Studio light", "rotation": turn, "children": children})


def _from(source: np.ndarray) -> list[float]:
    """Give the shortest turn, as a quaternion, that lets a lamp's -z point from a place to the origin."""
    ahead, wanted = np.array([0.0, 0.0, -1.0]), -source / np.linalg.norm(source)
    quaternion = np.append(np.cross(ahead, wanted), 1.0 + ahead @ wanted)
    return [float(part) for part in quaternion / np.linalg.norm(quaternion)]

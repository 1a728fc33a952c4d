"""Which parts their own file moves."""

from __future__ import annotations

from fern_tide.core.scene.gltf.container import listed
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.scene import Scene
from fern_tide.core.scene.svg.allowed import ANIMATIONS


def moved_by_file(scene: Scene, *, media: SceneMedia) -> frozenset[str]:
    """List the parts that animations which came with their file move, where those run."""
    moved: dict[str, set[int]] = {}
    for file in scene.files:
        if not file.plays:
            continue
        if file.media in media.sheets:
            nodes = media.sheets[file.media].drawing.nodes
            moved[file.id] = {node.parent for node in nodes if node.tag in ANIMATIONS}
        elif file.media in media.gltfs:
            animations = listed(media.gltfs[file.media].json, "animations")
            targets = [channel["target"] for item in animations for channel in listed(item, "channels")]
            moved[file.id] = {target["node"] for target in targets if "node" in target}
    kinds = ("element", "node")
    return frozenset(
        part.id for part in scene.parts if part.kind.in_file in kinds and part.file_index in moved.get(part.file, ())
    )

"""What a file that was brought in moves itself, and what of that gives way to what is driven."""

from __future__ import annotations

from collections.abc import Collection

from fern_tide.core.base.target import Target
from fern_tide.core.scene.drawn_outlines import drawn_outlines
from fern_tide.core.scene.gltf.container import Json, items_of
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.part import Channel, Form
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.core.scene.svg.allowed import ANIMATIONS
from fern_tide.core.scene.svg.picture import overruled_nodes, overruled_outline

_WORDS = {"translation": "place", "rotation": "turn", "scale": "size", "weights": "shape"}


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
            targets = [target for _, target in targets_of(media.gltfs[file.media].json)]
            moved[file.id] = {target["node"] for target in targets if "node" in target}
    kinds = ("element", "node")
    return frozenset(
        part.id for part in scene.parts if part.kind.in_file in kinds and part.file_index in moved.get(part.file, ())
    )


def targets_of(document: Json) -> list[tuple[str, Json]]:
    """List where a glTF file's animations point, as pointers of its object model, with their targets."""
    channels = [channel for item in items_of(document, "animations") for channel in items_of(item, "channels")]
    return [(pointer_of(channel), channel["target"]) for channel in channels]


def pointer_of(channel: Json) -> str:
    """Give where a channel of an animation points, in the glTF 2.0 object model; '' for nowhere."""
    target = channel["target"]
    if "node" in target:
        return f"/nodes/{target['node']}/{target['path']}"
    return str(target.get("extensions", {}).get("KHR_animation_pointer", {}).get("pointer", ""))


def overruled(scene: Scene, driven: Collection[Target], *, media: SceneMedia) -> list[tuple[Part, str]]:
    """List what files move themselves and what is driven or shaped too: the parts, with what of them moves in words.

    Where files do not play their own motion, there is nothing to give way.
    """
    by_part: dict[str, set[str]] = {}
    for target in driven:
        by_part.setdefault(target.part, set()).add(target.property)
    playing = {file.id: file.media for file in scene.files if file.plays}
    theirs = {
        digest: {pointer for pointer, _ in targets_of(media.gltfs[digest].json)}
        for digest in playing.values()
        if digest in media.gltfs
    }
    items: list[tuple[Part, str]] = []
    for part in scene.parts:
        sheet = media.sheets.get(playing.get(part.file, "")) if part.shapers else None
        if sheet is not None:
            outlines = drawn_outlines(scene, media, part)
            items += [(part, "outline") for one in outlines for _ in overruled_outline(one.node, sheet)][:1]
        names = by_part.get(part.id, set()).union(*(by_part.get(item.id, set()) for item in scene.gatherings(part)))
        digest = playing.get(part.file)
        if not names or digest is None:
            continue
        if digest in media.sheets and part.kind.in_file == "element":
            items += [(part, words) for words in overruled_nodes(part, names, media.sheets[digest]).values()]
        elif digest in theirs and part.file_index >= 0:  # a whole file is moved from outside it
            ways = sorted(_ways(part, names) & theirs[digest])
            items += [(part, _WORDS.get(way.split("/")[-1], "look")) for way in ways]
    return items


def _ways(part: Part, names: set[str]) -> set[str]:
    """List where a glTF file holds what is driven of a part; turning about an anchor moves it, too."""
    place = {part.kind.in_file: part.file_index}
    about = (part.anchor.x, part.anchor.y, part.anchor.z) != (0.0, 0.0, 0.0)
    turned = about and any(name.startswith(("turn_", "scale_")) for name in names)

    def moves(channel: Channel) -> bool:
        return not names.isdisjoint(channel.names) or (turned and channel.form is Form.TRANSLATION)

    return {channel.pointer.format(**place) for channel in part.channels if moves(channel)}


def without_overruled(document: Json, places: Collection[str]) -> None:
    """Take channels that point at some places out of a glTF file's animations, and animations that have none left."""
    left = []
    for animation in items_of(document, "animations"):
        channels = [channel for channel in items_of(animation, "channels") if pointer_of(channel) not in places]
        if channels:
            left.append({**animation, "channels": channels})
    if left:
        document["animations"] = left
    else:
        document.pop("animations", None)

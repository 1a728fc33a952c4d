"""What a file that was brought in moves itself, and what of that gives way to what is driven."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from fern_tide.core.base.target import Target
from fern_tide.core.scene.gltf.container import Json, listed
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.part import Channel, Form
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.core.scene.svg.allowed import ANIMATIONS
from fern_tide.core.scene.svg.picture import overruled_nodes

_WORDS = {"translation": "place", "rotation": "turn", "scale": "size", "weights": "shape"}


@dataclass(frozen=True)
class Overruled:
    """A file's own animation of what is driven too: it gives way.

    Attributes:
        part: what it moves.
        place: an SVG's node by its index, or where a glTF's animation points, such as '/nodes/3/rotation'.
        words: what of the part it moves.
    """

    part: Part
    place: int | str
    words: str


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
    channels = [channel for item in listed(document, "animations") for channel in listed(item, "channels")]
    return [(pointer_of(channel), channel["target"]) for channel in channels]


def pointer_of(channel: Json) -> str:
    """Give where a channel of an animation points, in the glTF 2.0 object model; '' for nowhere."""
    target = channel["target"]
    if "node" in target:
        return f"/nodes/{target['node']}/{target['path']}"
    return str(target.get("extensions", {}).get("KHR_animation_pointer", {}).get("pointer", ""))


def overruled(scene: Scene, driven: Collection[Target], *, media: SceneMedia) -> tuple[Overruled, ...]:
    """List the animations that files came with of what is driven too, where they run."""
    by_part: dict[str, set[str]] = {}
    for target in driven:
        by_part.setdefault(target.part, set()).add(target.property)
    items: list[Overruled] = []
    for part in scene.parts:
        names = by_part.get(part.id, set()).union(*(by_part.get(item.id, set()) for item in scene.gatherings(part)))
        if not names or not part.file or not scene.file(part.file).plays:
            continue
        digest = scene.file(part.file).media
        if digest in media.sheets and part.kind.in_file == "element":
            nodes = overruled_nodes(part, names, media.sheets[digest])
            items += [Overruled(part, index, words) for index, words in nodes.items()]
        elif digest in media.gltfs:
            theirs = {pointer for pointer, _ in targets_of(media.gltfs[digest].json)}
            items += [
                Overruled(part, way, _WORDS.get(way.split("/")[-1], "look")) for way in _ways(part, names) & theirs
            ]
    return tuple(items)


def _ways(part: Part, names: set[str]) -> set[str]:
    """List where a glTF file holds what is driven of a part; turning about an anchor moves it, too."""
    kind = part.kind.in_file
    place = {kind: part.file_index}
    about = (part.anchor.x, part.anchor.y, part.anchor.z) != (0.0, 0.0, 0.0)
    turned = about and any(name.startswith(("turn_", "scale_")) for name in names)

    def moves(channel: Channel) -> bool:
        return not names.isdisjoint(channel.names) or (turned and channel.form is Form.TRANSLATION)

    return {channel.pointer.format(**place) for channel in part.channels if moves(channel)}


def without_overruled(document: Json, places: Collection[str]) -> None:
    """Take channels that point at some places out of a glTF file's animations, and animations that have none left."""
    left = []
    for animation in listed(document, "animations"):
        channels = [channel for channel in listed(animation, "channels") if pointer_of(channel) not in places]
        if channels:
            left.append({**animation, "channels": channels})
    if left:
        document["animations"] = left
    else:
        document.pop("animations", None)

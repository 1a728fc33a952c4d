"""What each node of a glTF file lies in, and nodes put into others."""

from __future__ import annotations

import copy
from functools import cached_property

from fern_tide.core.scene.gltf.container import Json, items_of


class Nesting:
    """The nesting of a document's nodes, which is changed in place."""

    def __init__(self, document: Json) -> None:
        self._document = document
        self._copies: dict[int, list[int]] = {}

    @property
    def _shown(self) -> Json:
        scene: Json = self._document.setdefault("scenes", [{}])[self._document.get("scene", 0)]
        return scene

    @cached_property
    def _holders(self) -> dict[int, list[tuple[Json, str]]]:
        """What each node of a file lies in, a node or scenes, with the name of its list."""
        holders: dict[int, list[tuple[Json, str]]] = {}
        for kind, name in (("nodes", "children"), ("scenes", "nodes")):
            for owner in items_of(self._document, kind):
                for node in owner.get(name, ()):
                    holders.setdefault(node, []).append((owner, name))
        return holders

    def put(self, node: int, above: int | None) -> None:
        """Put a new node into another one, or at the top of the scene that is shown."""
        owner, name = (self._shown, "nodes") if above is None else (self._document["nodes"][above], "children")
        owner.setdefault(name, []).append(node)

    def move(self, node: int, above: int) -> None:
        """Put a node that came with a file into another one; one at the top that is not shown stays where it is."""
        holders = self._holders.get(node, ())
        if not any(name == "children" or owner is self._shown for owner, name in holders):
            return
        for owner, name in holders:
            owner[name].remove(node)
            if not owner[name]:
                del owner[name]
        self.put(node, above)

    def copy(self, node: int, *, name: str, above: int | None) -> int:
        """Put another node like one, without what lies in that, into a third or at the top; gives it."""
        nodes = items_of(self._document, "nodes")
        alike = {key: copy.deepcopy(item) for key, item in nodes[node].items() if key != "children"}
        nodes.append(alike | {"name": name})
        self._copies.setdefault(node, []).append(len(nodes) - 1)
        self.put(len(nodes) - 1, above)
        return len(nodes) - 1

    def move_alike(self) -> None:
        """Let animations that came with a file move all that is like what they move."""
        for animation in items_of(self._document, "animations") if self._copies else ():
            for channel in tuple(items_of(animation, "channels")):
                for node in self._copies.get(channel["target"].get("node", -1), ()):
                    animation["channels"].append({**channel, "target": {**channel["target"], "node": node}})

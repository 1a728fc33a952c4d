"""Scenes ready to be shown: their files read, 3D ones built, each once for as long as it is looked at."""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from threading import Lock

import numpy as np

from fern_tide.core.bake.expand import without_motion
from fern_tide.core.bake.expand_size import n_expanded
from fern_tide.core.base.signal import FloatArray, fingerprint
from fern_tide.core.scene.drawing import draw
from fern_tide.core.scene.extent import Extent, extents
from fern_tide.core.scene.gltf.build import build
from fern_tide.core.scene.gltf.built import Built
from fern_tide.core.scene.gltf.container import pack
from fern_tide.core.scene.media import SceneMedia, load
from fern_tide.core.scene.properties import PLACE_3D
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.store.files import MediaStore

_REMEMBERED = 6
_MOST_SKETCHED = 6000  # parts of arrays in a small picture
_PLACE = frozenset(item.id for item in PLACE_3D)


@dataclass(frozen=True)
class Staged:
    """A scene as it stands at rest, and what is needed to show it."""

    scene: Scene
    media: SceneMedia

    @cached_property
    def built(self) -> Built:
        """The scene as glTF."""
        return build(self.scene, files=self.media.gltfs, files_as_one=True)

    @cached_property
    def names_of_boxes(self) -> list[str]:
        """The ids of the parts that have a box, in the order of the boxes."""
        return list(self.extents)

    @cached_property
    def boxes(self) -> FloatArray:
        """The boxes of parts in shares of the stage, shape (parts, 4)."""
        return np.array([extent.stage for extent in self.extents.values()], dtype=np.float64).reshape(-1, 4)

    @cached_property
    def drawn(self) -> ET.Element:
        """A 2D scene as SVG, at rest."""
        return draw(self.scene, media=self.media)

    @cached_property
    def still(self) -> Built:
        """The scene as glTF with every piece of its arrays as it stands at rest, where those are not too many."""
        few = n_expanded(self.scene) <= _MOST_SKETCHED
        return build(without_motion(self.scene), files=self.media.gltfs) if few else self.built

    @cached_property
    def glb(self) -> bytes:
        """The same as a file."""
        return pack(self.built.closed())

    @cached_property
    def extents(self) -> Mapping[str, Extent]:
        """Where its parts are at rest."""
        return extents(self.scene, media=self.media, built=self.built if self.scene.kind == "3d" else None)

    @cached_property
    def looks(self) -> str:
        """A fingerprint of how the scene looks when nothing moves: another one must be drawn anew.

        What the pieces of 3D arrays are like is not in it: they are put in by themselves.
        """
        scene = self.scene
        parts = [_looks(part) for part in scene.parts]
        files = [file.model_dump_json() for file in scene.files]
        size = [scene.kind, scene.width, scene.height, scene.background, scene.floor]
        return fingerprint({"parts": parts, "files": files, "size": size})[:16]

    @cached_property
    def pieces_look(self) -> str:
        """A fingerprint of what the pieces of its arrays are like; '' where there are none."""
        arrays = [part.model_dump_json(exclude={"name"}) for part in self.scene.parts if part.kind.pieces]
        return fingerprint({"arrays": arrays})[:16] if arrays else ""


def _looks(part: Part) -> str:
    """Give what a part's looks depend on, as text."""
    if not part.kind.pieces or part.kind.space == "2d":
        return part.model_dump_json(exclude={"name"})
    place = {name: value for name, value in part.values.items() if name in _PLACE}
    return part.model_copy(update={"values": place}).model_dump_json(exclude={"name", "shape"})


class Stages:
    """Gives staged scenes, and keeps those that were asked for last."""

    def __init__(self, media: MediaStore) -> None:
        self._media = media
        self._cache: OrderedDict[int, tuple[Scene, Staged]] = OrderedDict()
        self._read: OrderedDict[tuple[str, ...], SceneMedia] = OrderedDict()
        self._lock = Lock()

    def of(self, scene: Scene) -> Staged:
        """Give a scene with its files.

        Raises:
            UnreadableScene: a file of it cannot be used.
        """
        with self._lock:
            known, staged = self._cache.get(id(scene), (None, None))
            if staged is not None and known is scene:
                self._cache.move_to_end(id(scene))
                return staged
            names = tuple(sorted(f"{file.kind}:{file.media}" for file in scene.files))
            media = self._read.get(names) or load(scene, self._media.read)
            self._read[names] = media
            staged = Staged(scene.at_rest, media)
            self._cache[id(scene)] = (scene, staged)
            for store in (self._cache, self._read):
                while len(store) > _REMEMBERED:
                    store.popitem(last=False)
            return staged

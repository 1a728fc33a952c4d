"""Pictures of a glTF file's textures that go along in a USD package: PNG and JPEG, which is what USD takes there."""

from __future__ import annotations

from dataclasses import dataclass, field

from fern_tide.core.base.errors import UnreadableScene
from fern_tide.core.scene.gltf.container import Gltf, Json, items_of
from fern_tide.core.scene.gltf.parts import at
from fern_tide.core.scene.images import as_png_or_jpeg

_ENDINGS = {"image/png": "png", "image/jpeg": "jpg"}


@dataclass
class Pictures:
    """The pictures of a glTF file that go into a package, in the types that USD takes: PNG and JPEG.

    Attributes:
        gltf: the file.
        files: the content of those that are used, by their names in the package.
    """

    gltf: Gltf
    files: dict[str, bytes] = field(default_factory=dict)
    _names: dict[object, str | None] = field(default_factory=dict)

    def name_of(self, texture: object) -> str | None:
        """Give the name of a texture's picture; None where it has none that USD takes, such as a Basis texture."""
        one = item_at(self.gltf.json, "textures", texture)
        place = one.get("source", (at(one, "extensions/EXT_texture_webp") or {}).get("source"))  # looked at when read
        if place not in self._names:
            self._names[place] = self._take(place)
        return self._names[place]

    def _take(self, place: object) -> str | None:
        try:
            content, info = as_png_or_jpeg(self._content(item_at(self.gltf.json, "images", place)))
        except UnreadableScene:  # it is a Basis texture, damaged, or not there
            return None
        name = f"textures/picture_{place}.{_ENDINGS[info.media_type]}"
        self.files[name] = content
        return name

    def _content(self, image: Json) -> bytes:
        view = item_at(self.gltf.json, "bufferViews", image.get("bufferView"))
        start = view.get("byteOffset", 0)
        return self.gltf.binary[start : start + view.get("byteLength", 0)]


def item_at(document: Json, name: str, place: object) -> Json:
    """Give one of a document's things; an empty one where there is none: what a material names was not looked at."""
    items = items_of(document, name)
    if isinstance(place, int) and not isinstance(place, bool) and 0 <= place < len(items):
        return items[place]
    return {}

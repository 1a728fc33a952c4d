"""A built glTF file that can still be added to."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy.typing as npt

from fern_tide.core.scene.gltf.container import Gltf, Json, items_of
from fern_tide.core.scene.part import Channel
from fern_tide.core.scene.scene import Part

Place = dict[str, int]


@dataclass(frozen=True)
class Built:
    """A scene as glTF.

    Attributes:
        gltf: the file.
        places: where each part lies in it, by the names in its channels' pointers: 'node', 'material' and so on.
    """

    gltf: Gltf
    places: Mapping[str, Place]
    _more: list[bytes] = field(default_factory=list)

    def add(self, values: npt.NDArray[Any], type: str, *, bounds: bool = False) -> int:
        """Add values behind all others and give their accessor; they are in the file when it is closed."""
        start = len(self.gltf.binary) + sum(map(len, self._more))
        self._more.append(values.tobytes() + b"\0" * (-values.nbytes % 4))
        return add_accessor(self.gltf.json, values, type, start=start, bounds=bounds)

    def use(self, extension: str) -> None:
        """Name an extension that the file uses."""
        use_extension(self.gltf.json, extension)

    def closed(self) -> Gltf:
        """Give the file with all that was added."""
        binary = b"".join([self.gltf.binary, *self._more])
        if binary:
            buffers = items_of(self.gltf.json, "buffers") or [{}]
            self.gltf.json["buffers"] = [{**buffers[0], "byteLength": len(binary)}, *buffers[1:]]
        return Gltf(self.gltf.json, binary, self.gltf.notes)

    def channels(self, part: Part) -> tuple[tuple[Channel, str], ...]:
        """List a part's channels with their pointers filled in."""
        place = self.places.get(part.id)
        return () if place is None else tuple((item, item.pointer.format(**place)) for item in part.channels)


def add_accessor(
    document: Json,
    values: npt.NDArray[Any],
    type: str,
    *,
    start: int,
    target: int | None = None,
    bounds: bool = False,
) -> int:
    """Describe values that lie in the binary chunk from a byte on; gives their accessor."""
    views, accessors = document.setdefault("bufferViews", []), document.setdefault("accessors", [])
    view: Json = {"buffer": 0, "byteOffset": start, "byteLength": values.nbytes}
    views.append(view if target is None else view | {"target": target})
    components = {"<f4": 5126, "<u2": 5123, "<u4": 5125}
    accessor: Json = {
        "bufferView": len(views) - 1,
        "componentType": components[values.dtype.str],
        "count": len(values),
        "type": type,
    }
    if bounds:
        flat = values.reshape(len(values), -1)
        accessor["min"], accessor["max"] = flat.min(axis=0).tolist(), flat.max(axis=0).tolist()
    accessors.append(accessor)
    return len(accessors) - 1


def use_extension(document: Json, extension: str) -> None:
    """Name an extension that a document uses."""
    used = document.setdefault("extensionsUsed", [])
    if extension not in used:
        used.append(extension)

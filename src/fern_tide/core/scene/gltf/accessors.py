"""The numbers of a glTF file, as its accessors say where they lie (glTF 2.0, 3.6.2)."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from fern_tide.core.scene.gltf.container import Gltf, Json
from fern_tide.core.scene.gltf.packed import is_packed

COMPONENTS: dict[int, np.dtype[Any]] = {
    5120: np.dtype("<i1"),
    5121: np.dtype("<u1"),
    5122: np.dtype("<i2"),
    5123: np.dtype("<u2"),
    5125: np.dtype("<u4"),
    5126: np.dtype("<f4"),
}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
WHOLE = frozenset({5121, 5123, 5125})
"""Kinds of numbers that count things."""


def values_of(gltf: Gltf, index: int) -> npt.NDArray[Any]:
    """Give an accessor's values as stored, shape (count,) or (count, width); zeros stand for what is packed."""
    accessor = gltf.json["accessors"][index]
    count = int(accessor["count"])
    if is_packed(gltf, accessor):
        return _stored(gltf, {}, accessor, count)
    values = _stored(gltf, accessor, accessor, count)
    sparse = accessor.get("sparse")
    if sparse is None:
        return values
    few, changed = int(sparse["count"]), values.copy()
    changed[changed_places(gltf, sparse)] = _stored(gltf, sparse["values"], accessor, few)
    return changed


def changed_places(gltf: Gltf, sparse: Json) -> npt.NDArray[Any]:
    """Give the places of the values that a sparse accessor changes."""
    indices = sparse["indices"]
    return _stored(gltf, indices, {"componentType": indices["componentType"], "type": "SCALAR"}, int(sparse["count"]))


def _stored(gltf: Gltf, place: Json, kind: Json, count: int) -> npt.NDArray[Any]:
    """View so many values where a view and an offset say that they lie, of a kind; zeros where there is no view."""
    dtype, width = COMPONENTS[kind["componentType"]], WIDTHS[kind["type"]]
    shape = (count,) if width == 1 else (count, width)
    if "bufferView" not in place:
        return np.zeros(shape, dtype=dtype)
    view = gltf.json["bufferViews"][place["bufferView"]]
    start = view.get("byteOffset", 0) + place.get("byteOffset", 0)
    stride = view.get("byteStride", dtype.itemsize * width)
    strides = (stride,) if width == 1 else (stride, dtype.itemsize)
    return np.ndarray(shape, dtype=dtype, buffer=gltf.binary, offset=start, strides=strides)


def measured(values: npt.NDArray[Any], accessor: Json) -> npt.NDArray[np.float64]:
    """Give an accessor's values, or its bounds, as the numbers that they stand for (glTF 2.0, 3.6.2.2)."""
    numbers = np.asarray(values, dtype=np.float64)
    kind = COMPONENTS[accessor["componentType"]]
    return (
        np.maximum(numbers / np.iinfo(kind).max, -1.0) if accessor.get("normalized") and kind.kind in "iu" else numbers
    )

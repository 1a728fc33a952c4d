"""Meshes that a glTF file holds packed, with Draco or meshopt: handed on as they came, unpacked by who shows them.

Khronos Group: KHR_draco_mesh_compression, EXT_meshopt_compression and KHR_meshopt_compression. What is packed moves by
its nodes, materials and weights alone, so that nothing here needs to unpack it; where a mesh lies is told by the bounds
that the file gives.
"""

from __future__ import annotations

from fern_tide.core.scene.gltf.container import MESHOPT, Gltf, Json, listed, refuse, stub_of, whole

DRACO = "KHR_draco_mesh_compression"
PACKED = (DRACO, *MESHOPT)
_MODES = ("ATTRIBUTES", "TRIANGLES", "INDICES")
_MOST_UNPACKED = 1 << 30


def is_packed(gltf: Gltf, accessor: Json) -> bool:
    """Say whether an accessor's values are not there as they are."""
    sparse = accessor.get("sparse")
    places = [accessor, *(() if sparse is None else (sparse["indices"], sparse["values"]))]
    views = [gltf.json["bufferViews"][place["bufferView"]] for place in places if "bufferView" in place]
    return not views or any(view["buffer"] > 0 for view in views)


def check_packed(gltf: Gltf) -> None:
    """Check what says how things are packed.

    Raises:
        UnreadableScene: it names what is not there, or would be larger unpacked than is taken.
    """
    views = listed(gltf.json, "bufferViews")
    unpacked = 0
    for place, view in enumerate(views):
        packing = _packing(view)
        if packing is None:
            continue
        if whole(packing, "byteOffset", 0) + whole(packing, "byteLength") > len(gltf.binary):
            raise refuse(f"buffer view {place} reaches beyond its buffer")
        stride, count = whole(packing, "byteStride", most=256), whole(packing, "count")
        if packing.get("mode") not in _MODES or not stride or stride * count != whole(view, "byteLength"):
            raise refuse(f"buffer view {place} says wrongly how it is packed")
        unpacked += stride * count
    if unpacked > _MOST_UNPACKED:
        raise refuse(f"it would be larger than {_MOST_UNPACKED >> 30} GB unpacked")
    for mesh in listed(gltf.json, "meshes"):
        for primitive in listed(mesh, "primitives"):
            packing = primitive.get("extensions", {}).get(DRACO)
            if packing is not None and whole(packing, "bufferView") >= len(views):
                raise refuse("a mesh names a buffer view that is not there")


def check_stub_view(gltf: Gltf, view: Json, place: int) -> None:
    """Check a view of a buffer that is there only in name: what it stands for is packed."""
    stub = listed(gltf.json, "buffers")[view["buffer"]]
    if stub_of(stub) is None or _packing(view) is None:
        raise refuse(f"buffer view {place} names a buffer that is not there")
    if whole(view, "byteOffset", 0) + whole(view, "byteLength") > whole(stub, "byteLength"):
        raise refuse(f"buffer view {place} reaches beyond its buffer")


def _packing(view: Json) -> Json | None:
    extensions = view.get("extensions", {})
    return next((extensions[name] for name in MESHOPT if name in extensions), None)

"""Reading a glTF file as hostile: every index, count, offset and number is checked before anything uses it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from fern_tide.core.base.errors import UnreadableScene
from fern_tide.core.scene.gltf.accessors import COMPONENTS, WHOLE, WIDTHS, changed_places, values_of
from fern_tide.core.scene.gltf.basis import EXTENSION as BASIS
from fern_tide.core.scene.gltf.basis import KTX2, measure_basis
from fern_tide.core.scene.gltf.container import Gltf, GltfLimits, Json, listed, refuse, unpack, whole
from fern_tide.core.scene.gltf.looks import check_looks, check_numbers, lights
from fern_tide.core.scene.gltf.packed import PACKED, check_packed, check_stub_view, is_packed
from fern_tide.core.scene.images import measure_image

READ_EXTENSIONS = frozenset(
    (
        "KHR_animation_pointer",
        "KHR_lights_punctual",
        "KHR_materials_emissive_strength",
        "KHR_materials_unlit",
        "KHR_materials_clearcoat",
        "KHR_materials_ior",
        "KHR_materials_iridescence",
        "KHR_materials_sheen",
        "KHR_materials_specular",
        "KHR_materials_transmission",
        "KHR_materials_volume",
        "KHR_materials_anisotropy",
        "KHR_materials_dispersion",
        "KHR_materials_variants",
        "KHR_mesh_quantization",
        "KHR_texture_transform",
        "EXT_texture_webp",
        "KHR_xmp_json_ld",
        BASIS,
        *PACKED,
    )
)


def read_gltf(content: bytes, *, beside: Mapping[str, bytes] | None = None, limits: GltfLimits | None = None) -> Gltf:
    """Read a GLB, or a .gltf with the files that were dropped together with it.

    Raises:
        UnreadableScene: it is no glTF 2.0, is damaged or lies about what it holds, points outside itself, or needs
            something that is not read.
    """
    limits = limits or GltfLimits()
    gltf = unpack(content, beside=beside or {}, limits=limits)
    try:
        _check(gltf, limits)
    except (KeyError, TypeError, AttributeError, IndexError, OverflowError) as cause:
        raise refuse("something in it is not where glTF has it") from cause
    return _with_scene(gltf)


def _with_scene(gltf: Gltf) -> Gltf:
    """Give a file a scene where it has none, as a library of parts may: all of it is shown, and that is said."""
    if listed(gltf.json, "scenes"):
        return gltf
    nodes = listed(gltf.json, "nodes")
    inner = {child for node in nodes for child in node.get("children", [])}
    scene = {"nodes": [place for place in range(len(nodes)) if place not in inner]} if nodes else {}
    document = {**gltf.json, "scene": 0, "scenes": [scene]}
    return Gltf(document, gltf.binary, (*gltf.notes, "it has no scene: all of it is shown"))


def _check(gltf: Gltf, limits: GltfLimits) -> None:
    document = gltf.json
    for which in ("extensionsUsed", "extensionsRequired"):
        named = document.get(which, [])
        if not isinstance(named, list) or not all(isinstance(name, str) for name in named):
            raise refuse(f"its {which} is no list of names")
    for name in document.get("extensionsRequired", []):
        if name not in READ_EXTENSIONS:
            raise refuse(f"it needs the extension {name!s:.60}, which is not read", remedy="Export it without.")
    _check_views(gltf)
    check_packed(gltf)
    _check_accessors(gltf)
    check_looks(document)
    _check_links(document)
    _check_nodes(document, limits)
    _check_meshes(gltf, limits)


def _check_views(gltf: Gltf) -> None:
    buffers = listed(gltf.json, "buffers")
    for place, view in enumerate(listed(gltf.json, "bufferViews")):
        buffer = whole(view, "buffer")
        if buffer >= len(buffers):
            raise refuse(f"buffer view {place} names a buffer that is not there")
        if buffer:
            check_stub_view(gltf, view, place)
        elif whole(view, "byteOffset", 0) + whole(view, "byteLength") > len(gltf.binary):
            raise refuse(f"buffer view {place} reaches beyond its buffer")
        if "byteStride" in view and not 4 <= whole(view, "byteStride") <= 252:
            raise refuse(f"buffer view {place} has an impossible stride")
    views = listed(gltf.json, "bufferViews")
    for image in listed(gltf.json, "images"):
        if whole(image, "bufferView") >= len(views):
            raise refuse("an image names a buffer view that is not there")
        view = views[image["bufferView"]]
        if view["buffer"]:
            raise refuse("one of its images is packed as no image is")
        start = whole(view, "byteOffset", 0)
        content = gltf.binary[start : start + whole(view, "byteLength")]
        try:
            (measure_basis if content.startswith(KTX2) else measure_image)(content)
        except UnreadableScene as cause:
            raise refuse(f"in one of its images: {cause.what[0].lower()}{cause.what[1:-1]}") from cause


def _check_accessors(gltf: Gltf) -> None:
    views = listed(gltf.json, "bufferViews")
    for place, accessor in enumerate(listed(gltf.json, "accessors")):
        if accessor.get("type") not in WIDTHS or accessor.get("componentType") not in COMPONENTS:
            raise refuse(f"accessor {place} is of no known type")
        count = whole(accessor, "count", most=2**31)
        if "bufferView" in accessor:
            _check_span(place, accessor, views, count, COMPONENTS[accessor["componentType"]].itemsize)
        elif count * WIDTHS[accessor["type"]] > 1 << 28:
            raise refuse(f"accessor {place} has more values than are taken")
        sparse = accessor.get("sparse")
        if sparse is not None:
            few = whole(sparse, "count", most=count)
            for name, width in (("indices", 1), ("values", WIDTHS[accessor["type"]])):
                part = sparse[name]
                kind = part.get("componentType", accessor["componentType"])
                size = COMPONENTS[kind].itemsize * width
                view = views[whole(part, "bufferView", most=max(0, len(views) - 1))]
                if whole(part, "byteOffset", 0) + few * size > whole(view, "byteLength"):
                    raise refuse(f"accessor {place} reaches beyond its buffer view")
                if "byteStride" in view or (name == "indices" and kind not in WHOLE):
                    raise refuse(f"accessor {place} says wrongly what it changes")
            if few and not is_packed(gltf, accessor) and int(changed_places(gltf, sparse).max()) >= count:
                raise refuse(f"accessor {place} changes a value that is not there")


def _check_span(place: int, accessor: Json, views: list[Json], count: int, size: int) -> None:
    if whole(accessor, "bufferView") >= len(views):
        raise refuse(f"accessor {place} names a buffer view that is not there")
    view = views[accessor["bufferView"]]
    item = size * WIDTHS[accessor["type"]]
    stride = whole(view, "byteStride", item)
    needed = whole(accessor, "byteOffset", 0) + (stride * (count - 1) + item if count else 0)
    if needed > whole(view, "byteLength"):
        raise refuse(f"accessor {place} reaches beyond its buffer view")


def _index(owner: Json, name: str, many: int, what: str) -> None:
    if not isinstance(owner, dict):
        raise refuse(f"{what} says nothing of its {name}")
    if name in owner and whole(owner, name) >= many:
        raise refuse(f"{what} names {name} {owner[name]}, which is not there")


def _check_links(document: Json) -> None:
    many = {name: len(listed(document, name)) for name in ("nodes", "meshes", "skins", "cameras", "accessors")}
    materials, images = len(listed(document, "materials")), len(listed(document, "images"))
    for node in listed(document, "nodes"):
        _index(node, "mesh", many["meshes"], "a node")
        _index(node, "skin", many["skins"], "a node")
        _index(node, "camera", many["cameras"], "a node")
        light = node.get("extensions", {}).get("KHR_lights_punctual")
        if light is not None and whole(light, "light") >= len(lights(document)):
            raise refuse("a node names a light that is not there")
    for mesh in listed(document, "meshes"):
        for primitive in listed(mesh, "primitives"):
            _index(primitive, "material", materials, "a mesh")
            _index(primitive, "indices", many["accessors"], "a mesh")
            for place in [primitive["attributes"], *listed(primitive, "targets")]:
                for name in place:
                    _index(place, name, many["accessors"], "a mesh")
    for skin in listed(document, "skins"):
        _index(skin, "inverseBindMatrices", many["accessors"], "a skin")
        if any(not isinstance(joint, int) or not 0 <= joint < many["nodes"] for joint in skin["joints"]):
            raise refuse("a skin names a joint that is not there")
    for texture in listed(document, "textures"):
        _index(texture, "source", images, "a texture")
        for name in ("EXT_texture_webp", BASIS):
            _index(texture.get("extensions", {}).get(name, {}), "source", images, "a texture")
    for animation in listed(document, "animations"):
        samplers = listed(animation, "samplers")
        for channel in listed(animation, "channels"):
            _index(channel, "sampler", len(samplers), "an animation")
            _index(channel["target"], "node", many["nodes"], "an animation")
        for sampler in samplers:
            _index(sampler, "input", many["accessors"], "an animation")
            _index(sampler, "output", many["accessors"], "an animation")


def _check_nodes(document: Json, limits: GltfLimits) -> None:
    nodes = listed(document, "nodes")
    if len(nodes) > limits.nodes:
        raise refuse(f"it has {len(nodes):,} nodes, and {limits.nodes:,} are taken")
    parent: dict[int, int] = {}
    for place, node in enumerate(nodes):
        for name, width in (("translation", 3), ("rotation", 4), ("scale", 3), ("matrix", 16)):
            if name in node:
                check_numbers(node[name], width, f"node {place}, {name}")
        for child in node.get("children", []):
            if not isinstance(child, int) or not 0 <= child < len(nodes):
                raise refuse(f"node {place} has a child that is not there")
            if child in parent:
                raise refuse(f"node {child} has two parents")
            parent[child] = place
    depths: dict[int, int] = {}
    for place in range(len(nodes)):
        way, at = [], place
        while at in parent and at not in depths:
            way.append(at)
            at = parent[at]
            if len(way) > limits.depth:
                raise refuse(f"its nodes go round in a circle, or deeper than {limits.depth}")
        deep = depths.setdefault(at, 0)
        for step in reversed(way):
            deep += 1
            depths[step] = deep
        if deep > limits.depth:
            raise refuse(f"its nodes are nested deeper than {limits.depth}")
    for scene in listed(document, "scenes"):
        for root in scene.get("nodes", []):
            if not isinstance(root, int) or not 0 <= root < len(nodes) or root in parent:
                raise refuse("a scene names a node that is none of its roots")
    _index(document, "scene", len(listed(document, "scenes")), "the file")


def _check_meshes(gltf: Gltf, limits: GltfLimits) -> None:
    accessors = listed(gltf.json, "accessors")
    vertices, seen = 0, set()
    for mesh in listed(gltf.json, "meshes"):
        for primitive in listed(mesh, "primitives"):
            if "POSITION" not in primitive["attributes"]:
                continue
            position = accessors[primitive["attributes"]["POSITION"]]
            vertices += whole(position, "count")
            if vertices > limits.vertices:
                raise refuse(f"it has more than {limits.vertices:,} vertices")
            for other in _others(primitive):
                if whole(accessors[other], "count") != whole(position, "count"):
                    raise refuse("a mesh has attributes of different lengths")
            if "indices" in primitive and (key := (primitive["indices"], position["count"])) not in seen:
                seen.add(key)
                order = accessors[primitive["indices"]]
                if order["type"] != "SCALAR" or order["componentType"] not in WHOLE:
                    raise refuse("a mesh has indices that are no whole numbers")
                indices = values_of(gltf, primitive["indices"])
                if indices.size and int(indices.max()) >= position["count"]:
                    raise refuse("a mesh names a vertex that is not there")


def _others(primitive: Json) -> Iterable[int]:
    for place in [primitive["attributes"], *listed(primitive, "targets")]:
        yield from place.values()

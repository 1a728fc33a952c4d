"""Several glTF files as one document: what each holds stands behind what the files before it hold.

Khronos Group, glTF 2.0 specification, section 3.2 (indices) and 5 (properties), and the extensions that are read.
"""

from __future__ import annotations

import copy
import re
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import count
from typing import Any

from fern_tide.core.scene.gltf.basis import EXTENSION as BASIS
from fern_tide.core.scene.gltf.container import MESHOPT, Gltf, Json, items_of
from fern_tide.core.scene.gltf.packed import DRACO
from fern_tide.core.scene.gltf.reading import READ_EXTENSIONS

_LISTS = (
    "accessors", "animations", "bufferViews", "cameras", "images", "materials", "meshes", "nodes", "samplers", "scenes",
    "skins", "textures",
)  # fmt: skip
_OF_ROOT = {"KHR_lights_punctual": "lights", "KHR_materials_variants": "variants", "KHR_xmp_json_ld": "packets"}
_OTHER_PICTURES = ("EXT_texture_webp", BASIS)
_POINTER = re.compile(r"^/(extensions/KHR_lights_punctual/)?(\w+)/(\d+)")
Starts = Mapping[str, int]


@dataclass(frozen=True)
class Joined:
    """Files as one.

    Attributes:
        gltf: the document that they are together; the one file itself where there is one.
        starts: for each file, where its nodes, materials, lights and so on begin in the lists of the document.
    """

    gltf: Gltf
    starts: tuple[Starts, ...]


def join(files: Sequence[Gltf]) -> Joined:
    """Join files that were read, and so looked through.

    What lies at the top of the scene that each of them shows is shown. What they say of themselves as a whole, such as
    who made them, is that of the first. Nodes and materials that are called as some of a file before are get a number.
    Extensions that are not read are left out of all but the first: what they name by number would be something else.

    Args:
        files: one or more; not changed.
    """
    if len(files) == 1:
        return Joined(files[0], ({},))
    document: Json = copy.deepcopy(files[0].json)
    pieces = [files[0].binary]
    starts: list[Starts] = [{}]
    for file in files[1:]:
        pieces.append(b"\0" * (-sum(map(len, pieces)) % 4))
        start = _counts(document) | {"binary": sum(map(len, pieces))}
        _append(document, _moved(_known(file.json), start))
        pieces.append(file.binary)
        starts.append(start)
    binary = b"".join(pieces)
    if binary:
        shared, *stubs = items_of(document, "buffers") or [{}]
        document["buffers"] = [{**shared, "byteLength": len(binary)}, *stubs]
    return Joined(Gltf(document, binary), tuple(starts))


def _known(value: Any) -> Any:
    """Copy a document, or what is in it, without extensions that are not read."""
    if isinstance(value, list):
        return [_known(item) for item in value]
    if not isinstance(value, dict):
        return value
    copied = {name: _known(item) for name, item in value.items() if name != "extras"}
    copied |= {"extras": copy.deepcopy(value["extras"])} if "extras" in value else {}
    if isinstance(copied.get("extensions"), dict):
        known = {name: item for name, item in copied.pop("extensions").items() if _is_known(name)}
        copied |= {"extensions": known} if known else {}
    if isinstance(copied.get("extensionsUsed"), list):
        copied["extensionsUsed"] = [name for name in copied["extensionsUsed"] if _is_known(name)]
    return copied


def _is_known(extension: str) -> bool:
    return extension in READ_EXTENSIONS or extension.startswith("KHR_materials_")


def _counts(document: Json) -> dict[str, int]:
    """Count what a document holds, list by list; of its buffers those behind the first, which is shared."""
    counts = {name: len(items_of(document, name)) for name in _LISTS}
    counts |= {name: len(_of_root(document, owner, name)) for owner, name in _OF_ROOT.items()}
    return counts | {"buffers": max(0, len(items_of(document, "buffers")) - 1)}


def _append(document: Json, other: Json) -> None:
    """Put what a moved document holds behind what another holds, and what it shows beside what that shows."""
    for name in ("nodes", "materials"):
        _name_apart(items_of(document, name), items_of(other, name))
    shown = items_of(other, "scenes")[other.get("scene", 0)]
    for name in _LISTS:
        items = [item for item in items_of(other, name) if item is not shown]
        if items:
            document[name] = [*items_of(document, name), *items]
    stubs = items_of(other, "buffers")[1:]
    if stubs:
        document["buffers"] = [*(items_of(document, "buffers") or [{"byteLength": 0}]), *stubs]
    scene = items_of(document, "scenes")[document.get("scene", 0)]
    if shown.get("nodes"):
        scene["nodes"] = [*scene.get("nodes", []), *shown["nodes"]]
    for owner, name in _OF_ROOT.items():
        more = _of_root(other, owner, name)
        if more:
            extensions = document.setdefault("extensions", {})
            mine = extensions[owner] if isinstance(extensions.get(owner), dict) else {}
            extensions[owner] = {**mine, name: [*_of_root(document, owner, name), *more]}
    for name in ("extensionsUsed", "extensionsRequired"):
        every = dict.fromkeys([*document.get(name, []), *other.get(name, [])])
        if every:
            document[name] = list(every)


def _name_apart(before: Sequence[Json], items: Sequence[Json]) -> None:
    """Number what has the name of something before it, since some programs find things by their names."""
    theirs = {item.get("name") for item in before if isinstance(item.get("name"), str)}
    taken = theirs | {item.get("name") for item in items if isinstance(item.get("name"), str)}
    numbers: defaultdict[str, Iterator[int]] = defaultdict(lambda: count(2))
    for item in items:
        name = item.get("name")
        if isinstance(name, str) and name in theirs:
            number = next(number for number in numbers[name] if f"{name} {number}" not in taken)
            item["name"] = f"{name} {number}"
            taken.add(item["name"])


def _moved(document: Json, start: Starts) -> Json:
    """Let every index of a document, which is changed, count from where its lists begin in another one."""
    for view in items_of(document, "bufferViews"):
        for span in (view, *_extensions(view, MESHOPT)):
            if span.get("buffer"):
                _by(span, "buffer", start["buffers"])
            else:
                span["byteOffset"] = span.get("byteOffset", 0) + start["binary"]
    for accessor in items_of(document, "accessors"):
        sparse = accessor.get("sparse", {})
        for place in (accessor, sparse.get("indices", {}), sparse.get("values", {})):
            _by(place, "bufferView", start["bufferViews"])
    for image in items_of(document, "images"):
        _by(image, "bufferView", start["bufferViews"])
    for texture in items_of(document, "textures"):
        _by(texture, "sampler", start["samplers"])
        for place in (texture, *_extensions(texture, _OTHER_PICTURES)):
            _by(place, "source", start["images"])
    for material in items_of(document, "materials"):
        for texture in _textures_in(material):
            _by(texture, "index", start["textures"])
    _move_meshes(document, start)
    _move_nodes(document, start)
    _move_animations(document, start)
    for name in _LISTS:
        for item in items_of(document, name):
            for about in _extensions(item, ("KHR_xmp_json_ld",)):
                _by(about, "packet", start["packets"])
    return document


def _move_meshes(document: Json, start: Starts) -> None:
    for mesh in items_of(document, "meshes"):
        for primitive in items_of(mesh, "primitives"):
            _by(primitive, "indices", start["accessors"])
            _by(primitive, "material", start["materials"])
            for place in (primitive["attributes"], *items_of(primitive, "targets")):
                for name in place:
                    place[name] += start["accessors"]
            for packed in _extensions(primitive, (DRACO,)):
                _by(packed, "bufferView", start["bufferViews"])
            for variants in _extensions(primitive, ("KHR_materials_variants",)):
                for mapping in _objects(variants.get("mappings")):
                    _by(mapping, "material", start["materials"])
                    _all_by(mapping, "variants", start["variants"])


def _move_nodes(document: Json, start: Starts) -> None:
    for node in items_of(document, "nodes"):
        for name, owner in (("mesh", "meshes"), ("skin", "skins"), ("camera", "cameras")):
            _by(node, name, start[owner])
        _all_by(node, "children", start["nodes"])
        for light in _extensions(node, ("KHR_lights_punctual",)):
            _by(light, "light", start["lights"])
    for skin in items_of(document, "skins"):
        _by(skin, "inverseBindMatrices", start["accessors"])
        _by(skin, "skeleton", start["nodes"])
        _all_by(skin, "joints", start["nodes"])
    for scene in items_of(document, "scenes"):
        _all_by(scene, "nodes", start["nodes"])


def _move_animations(document: Json, start: Starts) -> None:
    for animation in items_of(document, "animations"):
        for sampler in items_of(animation, "samplers"):
            for name in ("input", "output"):
                _by(sampler, name, start["accessors"])
        for channel in items_of(animation, "channels"):
            _by(channel["target"], "node", start["nodes"])
            for pointed in _extensions(channel["target"], ("KHR_animation_pointer",)):
                pointed["pointer"] = moved_pointer(str(pointed.get("pointer", "")), start)


def moved_pointer(pointer: str, start: Starts) -> str:
    """Give a pointer of the glTF object model as it counts in a document of several; such a one as is not known stays.

    Args:
        pointer: such as '/nodes/3/translation'.
        start: where the lists of its own file begin.
    """
    match = _POINTER.match(pointer)
    if match is None or match[2] not in start:
        return pointer
    return f"/{match[1] or ''}{match[2]}/{int(match[3]) + start[match[2]]}{pointer[match.end() :]}"


def _by(owner: Json, name: str, by: int) -> None:
    if isinstance(owner.get(name), int):
        owner[name] += by


def _all_by(owner: Json, name: str, by: int) -> None:
    if isinstance(owner.get(name), list):
        owner[name] = [place + by if isinstance(place, int) else place for place in owner[name]]


def _objects(items: object) -> list[Json]:
    return [item for item in items if isinstance(item, dict)] if isinstance(items, list) else []


def _of_root(document: Json, owner: str, name: str) -> list[Json]:
    """List what an extension of the whole document holds."""
    extension = document.get("extensions", {}).get(owner)
    return _objects(extension.get(name)) if isinstance(extension, dict) else []


def _extensions(owner: Json, names: Iterable[str]) -> list[Json]:
    extensions = owner.get("extensions")
    items = extensions.items() if isinstance(extensions, dict) else ()
    return [item for name, item in items if name in names and isinstance(item, dict)]


def _textures_in(owner: Json) -> list[Json]:
    """List what names a texture in a material, also in its extensions."""
    textures = []
    for name, item in owner.items():
        if isinstance(item, dict) and name != "extras":
            textures += [item] if name.endswith("Texture") else []
            textures += _textures_in(item)
    return textures

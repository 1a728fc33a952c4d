"""The nodes, materials, lights and cameras of a glTF file as parts, with the values that they came with."""

from __future__ import annotations

from math import degrees

import numpy as np

from fern_tide.core.base.naming import Ids
from fern_tide.core.mapping.colour import colour_texts, to_srgb
from fern_tide.core.scene.gltf.container import Json, items_of
from fern_tide.core.scene.gltf.looks import lights
from fern_tide.core.scene.gltf.plain_mesh import n_vertices
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.parts.gltf_material import TEXTURES
from fern_tide.core.scene.rotation import parted, turns_of_quaternion
from fern_tide.core.scene.scene import Part, PartChoice, SceneFile

Values = dict[str, float | str]
MOST_SHAPES = 256


def parts_of(document: Json, file: SceneFile, *, ids: Ids) -> tuple[Part, ...]:
    """Make a part of the file and one of each node, material, light and camera in it, parents before children."""
    stem = file.name.rsplit(".", 1)[0].strip()[:120] or "Scene"
    root = _part(ids, stem, None, "gltf_file", {"file": file.id})
    parts = [root, *_nodes(document, file, root.id, ids)]
    for name, kind, items in (
        ("Materials", "gltf_material", items_of(document, "materials")),
        ("Lights", "gltf_light", lights(document)),
        ("Cameras", "gltf_camera", items_of(document, "cameras")),
    ):
        if not items:
            continue
        group = _part(ids, name, root.id, "gltf_file", {"file": file.id, "holds": name.lower()})
        parts.append(group)
        for index, item in enumerate(items):
            label = _name(item, f"{name[:-1]} {index + 1}")
            params = {"file": file.id, "index": index, **_params(kind, item)}
            part = _part(ids, label, group.id, kind, params)
            parts.append(_with(part, values_of(part, document)))
    return tuple(parts)


def _nodes(document: Json, file: SceneFile, root: str, ids: Ids) -> list[Part]:
    nodes = items_of(document, "nodes")
    children = {child for node in nodes for child in node.get("children", [])}
    waiting = [(index, root) for index in reversed(range(len(nodes))) if index not in children]
    parts = []
    while waiting:
        index, parent = waiting.pop()
        node = nodes[index]
        mesh = items_of(document, "meshes")[node["mesh"]] if "mesh" in node else {}
        label = _name(node, "") or _name(mesh, f"Node {index + 1}")
        params = {"file": file.id, "index": index, "shapes": "\n".join(_shapes(mesh))}
        params["vertices"] = n_vertices(document, mesh)
        part = _part(ids, label, parent, "gltf_node", params)
        parts.append(_with(part, values_of(part, document)))
        waiting += [(child, part.id) for child in reversed(node.get("children", []))]
    return parts


def _part(ids: Ids, name: str, parent: str | None, kind: str, params: dict[str, object]) -> Part:
    shape = PartChoice.model_validate({"id": kind, "params": params})
    return Part(id=ids.make(name), name=name, parent=parent, shape=shape, anchor=Anchor(word="origin"))


def _with(part: Part, values: Values) -> Part:
    defaults = {item.id: item.default for item in part.properties}
    return part.model_copy(update={"values": {key: v for key, v in values.items() if v != defaults[key]}})


def _name(item: Json, otherwise: str) -> str:
    name = item.get("name")
    text = " ".join(name.split()) if isinstance(name, str) else ""
    return "".join(letter for letter in text if letter.isprintable())[:120].strip() or otherwise


def _shapes(mesh: Json) -> list[str]:
    targets = max((len(items_of(item, "targets")) for item in items_of(mesh, "primitives")), default=0)
    extras = mesh.get("extras")
    names = extras.get("targetNames", []) if isinstance(extras, dict) else []
    names = names if isinstance(names, list) else []
    return [
        _name({"name": names[place] if place < len(names) else None}, f"Shape {place + 1}")[:60]
        for place in range(min(targets, MOST_SHAPES))
    ]


def _params(kind: str, item: Json) -> dict[str, object]:
    if kind == "gltf_material":
        has = ["cutoff"] if item.get("alphaMode") == "MASK" else []
        return {"has": " ".join(has + [key for key, (place, _) in TEXTURES.items() if at(item, place) is not None])}
    return {"type": item["type"]}


def at(owner: Json, place: str) -> Json | None:
    """Give the object at a place such as 'pbrMetallicRoughness/baseColorTexture', or None."""
    value: object = owner
    for name in place.split("/"):
        value = value.get(name) if isinstance(value, dict) else None
    return value if isinstance(value, dict) else None


def values_of(part: Part, document: Json) -> Values:
    """Read the values that an imported part has in its file; {} for a part that is none."""
    of_file, index = part.kind.in_file, part.file_index
    if of_file == "node":
        return node_values(document, items_of(document, "nodes")[index])
    if of_file == "material":
        return _material_values(items_of(document, "materials")[index])
    if of_file == "light":
        light = lights(document)[index]
        spot = light.get("spot", {})
        values: Values = {
            "colour": _colour(light.get("color", [1, 1, 1])),
            "intensity": float(light.get("intensity", 1.0)),
            "range": float(light.get("range", 20.0)),
            "inner_cone": degrees(spot.get("innerConeAngle", 0.0)),
            "outer_cone": degrees(spot.get("outerConeAngle", np.pi / 4)),
        }
        return {key: value for key, value in values.items() if part.has(key)}
    if of_file == "camera":
        camera = items_of(document, "cameras")[index]
        if camera["type"] == "perspective":
            return {"field_of_view": degrees(camera["perspective"]["yfov"])}
        flat = camera["orthographic"]
        return {"half_width": float(flat["xmag"]), "half_height": float(flat["ymag"])}
    return {}


def node_values(document: Json, node: Json) -> Values:
    """Read a node's place and the weights of its morph targets."""
    if "matrix" in node:
        matrix = np.array(node["matrix"], dtype=np.float64).reshape(4, 4).T
        translation, quaternion, scale = parted(matrix)
        turns = turns_of_quaternion(quaternion)
    else:
        translation = np.array(node.get("translation", [0, 0, 0]), dtype=np.float64)
        scale = np.array(node.get("scale", [1, 1, 1]), dtype=np.float64)
        turned = np.array(node["rotation"], dtype=np.float64) if "rotation" in node else None
        turns = np.zeros(3) if turned is None else turns_of_quaternion(turned)
    values: Values = {}
    for prefix, numbers in (("", translation), ("turn_", turns), ("scale_", scale)):
        values |= {prefix + axis: float(number) + 0.0 for axis, number in zip("xyz", numbers, strict=True)}
    mesh = items_of(document, "meshes")[node["mesh"]] if "mesh" in node else {}
    weights = node.get("weights") or mesh.get("weights") or []
    for place in range(len(_shapes(mesh))):
        values[f"shape_{place}"] = float(weights[place]) if place < len(weights) else 0.0
    return values


def _material_values(material: Json) -> Values:
    surface = material.get("pbrMetallicRoughness", {})
    base = surface.get("baseColorFactor", [1, 1, 1, 1])
    glow = at(material, "extensions/KHR_materials_emissive_strength") or {}
    values: Values = {
        "colour": _colour(base[:3]),
        "opacity": float(base[3]),
        "metallic": float(surface.get("metallicFactor", 1.0)),
        "roughness": float(surface.get("roughnessFactor", 1.0)),
        "emission": _colour(material.get("emissiveFactor", [0, 0, 0])),
        "emission_strength": float(glow.get("emissiveStrength", 1.0)),
    }
    if material.get("alphaMode") == "MASK":
        values["cutoff"] = float(material.get("alphaCutoff", 0.5))
    for key, (place, _) in TEXTURES.items():
        texture = at(material, place)
        if texture is None:
            continue
        moved = at(texture, "extensions/KHR_texture_transform") or {}
        across, down = moved.get("offset", [0, 0])
        wide, tall = moved.get("scale", [1, 1])
        numbers = (across, down, degrees(moved.get("rotation", 0.0)), wide, tall)
        values |= {
            f"{key}_{n}": float(v) for n, v in zip(("across", "down", "turn", "wide", "tall"), numbers, strict=True)
        }
        if key == "normal":
            values["relief"] = float(texture.get("scale", 1.0))
        if key == "occlusion":
            values["shade"] = float(texture.get("strength", 1.0))
    return values


def _colour(linear: list[float]) -> str:
    return colour_texts(to_srgb(np.array(linear[:3], dtype=np.float64)[:, np.newaxis]))[0]

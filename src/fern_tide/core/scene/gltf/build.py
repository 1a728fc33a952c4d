"""A 3D scene as one glTF file: what was brought in, as it is, and the scene's own parts added behind it.

The same file is what the stage shows and what the hand-off puts its animation into.
"""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy.typing as npt

from fern_tide.core.base.target import Target
from fern_tide.core.scene.gltf.built import Built, Place, add_accessor, use_extension
from fern_tide.core.scene.gltf.container import Gltf, Json, items_of
from fern_tide.core.scene.gltf.joined import join
from fern_tide.core.scene.gltf.nesting import Nesting
from fern_tide.core.scene.gltf.numbers import is_plain, part_matrix, still
from fern_tide.core.scene.gltf.parts import values_of
from fern_tide.core.scene.gltf.shaped import Shapes, shapes_of_mesh, solid_mesh, solid_shapes
from fern_tide.core.scene.part import Channel, Form
from fern_tide.core.scene.scene import Part, Scene, SceneFile

_PLACES = (Form.TRANSLATION, Form.ROTATION, Form.SCALE)
_LEFT_PLAIN = (*_PLACES, Form.WEIGHTS, Form.SHAPES)
_STRENGTH = "KHR_materials_emissive_strength"


def build(
    scene: Scene,
    *,
    files: Mapping[str, Gltf],
    moving: Iterable[Target] = (),
    leave_out: Callable[[Part], bool] = lambda part: False,
    files_as_one: bool = False,
) -> Built:
    """Build a scene's glTF file.

    Args:
        scene: a 3D scene.
        files: what was brought in, by the hash of the file; not changed.
        moving: the properties that will be animated; what they need, such as blending, is switched on.
        leave_out: says which of the scene's own parts do not go in; what is in a file always does.
        files_as_one: whether each file lies in a node of its own, by which it can be moved; else only one that moves as
            a whole, or stands otherwise than it came, does.
    """
    moving = tuple(moving)
    moved = {target.part for target in moving}
    builder = _Builder({file.id: _played(files[file.media], file) for file in scene.files if file.media in files})
    for part in scene.parts:
        builder.add(part, leave_out(part), as_one=files_as_one or part.id in moved)
    for target in moving:
        builder.make_room(scene.part(target.part), target.property)
    return builder.done(scene)


def _played(gltf: Gltf, file: SceneFile) -> Gltf:
    """Give a file without its own motion where that does not run."""
    if file.plays or "animations" not in gltf.json:
        return gltf
    return Gltf({name: item for name, item in gltf.json.items() if name != "animations"}, gltf.binary)


@dataclass
class _Builder:
    """Builds on what was brought in, by the names that the scene knows it by."""

    sources: Mapping[str, Gltf]
    document: Json = field(init=False)
    pieces: list[bytes] = field(init=False)
    places: dict[str, Place] = field(default_factory=dict)
    _own: set[str] = field(default_factory=set)
    _there: set[int] = field(default_factory=set)
    _meshes: dict[str, dict[str, int]] = field(default_factory=dict)
    _names: set[str] = field(default_factory=set)

    def __post_init__(self) -> None:
        if not self.sources:
            asset = {"version": "2.0", "generator": "Fern Tide"}
            self.document = {"asset": asset, "scene": 0, "scenes": [{"nodes": []}]}
            self.pieces, self._length = [], 0
        else:
            joined = join(list(self.sources.values()))
            self._joined, self._starts = joined.gltf, dict(zip(self.sources, joined.starts, strict=True))
            self.document = copy.deepcopy(joined.gltf.json)
            self.pieces, self._length = [joined.gltf.binary], len(joined.gltf.binary)
            self._align()
        self._nesting = Nesting(self.document)
        for name in ("nodes", "materials"):
            self._names |= {str(item.get("name")) for item in items_of(self.document, name)}

    def add(self, part: Part, left_out: bool, *, as_one: bool) -> None:
        """Add a part; a file has a node only where it is moved as one."""
        of_file = part.kind.in_file
        if of_file == "file":
            if part.channels and part.file in self.sources and (as_one or part.values or part.parent):
                self._add_own(part)
        elif of_file:
            if part.file in self.sources:
                self._add_imported(part)
        elif not left_out and part.kind.looks:
            self._add_own(part)

    def _add_imported(self, part: Part) -> None:
        of_file, source = part.kind.in_file, self.sources[part.file]
        place = self._starts[part.file].get(f"{of_file}s", 0) + part.file_index
        if of_file == "node":
            place = self._node_of(part, place)
        self.places[part.id] = {of_file: place}
        if part.shapers:
            self._shape_imported(part)
        self._set_own(part, values_of(part, source.json))

    def _node_of(self, part: Part, node: int) -> int:
        """Put a part's node where it lies here, and give it; another like it for each further piece of an array."""
        above = self.places.get(part.parent or "", {}).get("node")
        if node in self._there:
            node = self._nesting.copy(node, name=self._unique(part.name, part.id), above=above)
        elif above is not None and part.parent in self._own:
            self._nesting.move(node, above)
        self._there.add(node)
        return node

    def _add_own(self, part: Part) -> None:
        name = self._unique(part.name, part.id)
        place: Place = {"node": self._append("nodes", {"name": name})}
        node = self.document["nodes"][place["node"]]
        if part.kind.solid is not None:
            place["material"] = self._append("materials", {"name": name, "pbrMetallicRoughness": {}})
            primitive = self._primitive(part, place["material"])
            if primitive is not None:
                node["mesh"] = self._append("meshes", {"name": name, "primitives": [primitive]})
            if primitive is not None and part.kind.morphs is not None:
                self._add_morphs(part, primitive, place)
            elif primitive is not None and part.shapers:
                self._write_shapes(self.document["meshes"][node["mesh"]], [solid_shapes(part.shape, part.shapers)])
        if part.kind.emits:
            place["light"] = self._add_light(part, name)
            node["extensions"] = {"KHR_lights_punctual": {"light": place["light"]}}
        if part.kind.films:
            lens = {"yfov": 1.0, "znear": 0.01, "zfar": 1000.0}
            place["camera"] = node["camera"] = self._append(
                "cameras", {"name": name, "type": "perspective", "perspective": lens}
            )
        self.places[part.id] = place
        self._set_own(part, None)
        self._nesting.put(place["node"], self.places.get(part.parent or "", {}).get("node"))
        self._own.add(part.id)

    def _add_light(self, part: Part, name: str) -> int:
        self._use("KHR_lights_punctual")
        group = self.document.setdefault("extensions", {}).setdefault("KHR_lights_punctual", {"lights": []})
        light: Json = {"name": name, "type": part.kind.emits}
        if light["type"] == "spot":
            light["spot"] = {}
        group["lights"].append(light)
        return len(group["lights"]) - 1

    def _primitive(self, part: Part, material: int) -> Json | None:
        """Write a solid's mesh once for all parts that have the same one; None for words without a letter."""
        key = part.shape.model_dump_json() + ("finer" if part.shapers else "")
        if key not in self._meshes:
            mesh = solid_mesh(part.shape, bends=bool(part.shapers))
            if not len(mesh.triangles):
                return None
            positions = self.accessor(mesh.positions.astype("<f4"), "VEC3", target=34962, bounds=True)
            normals = self.accessor(mesh.normals.astype("<f4"), "VEC3", target=34962)
            small = len(mesh.positions) < 65_535
            indices = self.accessor(mesh.triangles.ravel().astype("<u2" if small else "<u4"), "SCALAR", target=34963)
            self._meshes[key] = {"POSITION": positions, "NORMAL": normals, "indices": indices}
        attributes = dict(self._meshes[key])
        return {"indices": attributes.pop("indices"), "attributes": attributes, "material": material}

    def _add_morphs(self, part: Part, primitive: Json, place: Place) -> None:
        """Write a mesh's morph targets; such a mesh is thin, and seen from both sides."""
        assert part.kind.morphs is not None
        moves = part.kind.morphs(part.shape.params).astype("<f4")
        primitive["targets"] = [{"POSITION": self.accessor(move, "VEC3", bounds=True)} for move in moves]
        mesh = self.document["meshes"][self.document["nodes"][place["node"]]["mesh"]]
        mesh["weights"] = [0.0] * len(moves)
        self.document["materials"][place["material"]]["doubleSided"] = True

    def _shape_imported(self, part: Part) -> None:
        """Write the same of a node that came with a file; a mesh that others have too becomes one of its own."""
        node = self.document["nodes"][self.places[part.id]["node"]]
        if "mesh" not in node:
            return
        mesh = self.document["meshes"][node["mesh"]]
        shapes = shapes_of_mesh(self._joined, mesh, part.shapers)
        if sum(other.get("mesh") == node["mesh"] for other in self.document["nodes"]) > 1:
            mesh = copy.deepcopy(mesh)
            node["mesh"] = self._append("meshes", mesh)
        self._write_shapes(mesh, shapes)

    def _write_shapes(self, mesh: Json, shapes: Sequence[Shapes]) -> None:
        for primitive, its_shapes in zip(mesh["primitives"], shapes, strict=True):
            facing = "NORMAL" in primitive["attributes"]
            primitive["targets"] = [
                {"POSITION": self.accessor(moved, "VEC3", bounds=True)}
                | ({"NORMAL": self.accessor(turned, "VEC3")} if facing else {})
                for moved, turned in its_shapes
            ]
        mesh["weights"] = [0.0] * len(shapes[0])

    def _set_own(self, part: Part, before: dict[str, Any] | None) -> None:
        """Write a part's own values; of an imported part those that are not what its file says."""
        for channel in part.channels:
            if before is not None and all(part.own(name) == before.get(name) for name in channel.names):
                continue
            if before is None and channel.form in _LEFT_PLAIN and is_plain(part, channel):
                continue
            self._put(part, channel)

    def _put(self, part: Part, channel: Channel) -> None:
        if channel.names == ("emission_strength",) and is_plain(part, channel):
            return
        if _STRENGTH in channel.pointer:
            self._use(_STRENGTH)
        if "KHR_texture_transform" in channel.pointer:
            self._use("KHR_texture_transform")
        own = {name: part.own(name) for name in channel.names}
        *way, last = channel.pointer.format(**self.places[part.id]).split("/")[1:]
        owner: Any = self.document
        for name in way:
            owner = owner[int(name)] if isinstance(owner, list) else owner.setdefault(name, {})
        if channel.form in _PLACES:
            part_matrix(owner)
        numbers = still(channel, own, part)
        single = channel.form in {Form.NUMBER, Form.RADIANS}
        owner[last] = numbers[0] if single else numbers

    def make_room(self, part: Part, name: str) -> None:
        """Switch on what an animated property needs."""
        if part.id not in self.places:
            return
        for channel in part.channels:
            if name not in channel.names:
                continue
            if "node" in self.places[part.id]:
                part_matrix(self.document["nodes"][self.places[part.id]["node"]])
            if name == "opacity":
                self.document["materials"][self.places[part.id]["material"]]["alphaMode"] = "BLEND"
            *way, _ = channel.pointer.format(**self.places[part.id]).split("/")[1:]
            for extension in (_STRENGTH, "KHR_texture_transform"):
                if extension in way:
                    self._use(extension)
                    owner: Any = self.document
                    for step in way:
                        owner = owner[int(step)] if isinstance(owner, list) else owner.setdefault(step, {})

    def done(self, scene: Scene) -> Built:
        """Close the file."""
        for part in scene.parts:
            place = self.places.get(part.id, {})
            if part.kind.solid is not None and "material" in place and float(part.own("opacity")) < 1.0:
                self.document["materials"][place["material"]]["alphaMode"] = "BLEND"
        self._nesting.move_alike()
        self._align()
        return Built(Gltf(self.document, b"".join(self.pieces)), self.places)

    # --- the document

    def accessor(self, values: npt.NDArray[Any], type: str, *, target: int | None = None, bounds: bool = False) -> int:
        """Add values and give their accessor."""
        self._align()
        index = add_accessor(self.document, values, type, start=self._length, target=target, bounds=bounds)
        self.pieces.append(values.tobytes())
        self._length += values.nbytes
        return index

    def _align(self) -> None:
        short = -self._length % 4
        if short:
            self.pieces.append(b"\0" * short)
            self._length += short

    def _append(self, name: str, item: Json) -> int:
        items = self.document.setdefault(name, [])
        items.append(item)
        return len(items) - 1

    def _use(self, extension: str) -> None:
        use_extension(self.document, extension)

    def _unique(self, name: str, part_id: str) -> str:
        chosen = name if name not in self._names else f"{name} ({part_id})"
        self._names.add(chosen)
        return chosen

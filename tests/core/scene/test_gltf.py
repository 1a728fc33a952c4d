"""glTF files that come in: checked before anything uses them; nodes, materials, lights and cameras become parts."""

import base64
import copy
import json
import struct
import sys

import numpy as np
import pytest
from tests.gltf import GLB, document, glb, model

from fern_tide.core.base.errors import FernTideError, UnreadableScene
from fern_tide.core.base.naming import Ids
from fern_tide.core.base.target import Target
from fern_tide.core.scene.gltf.accessors import values_of
from fern_tide.core.scene.gltf.build import build
from fern_tide.core.scene.gltf.container import GltfLimits, pack
from fern_tide.core.scene.gltf.parts import parts_of
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.gltf.sketch import sketch
from fern_tide.core.scene.scene import Part, PartChoice, Scene, SceneFile
from fern_tide.demo.bench_scene import potting_bench

FILE = SceneFile(id="f", name="fern.glb", media="0" * 64, kind="gltf")


def changed(change) -> bytes:
    plain, binary = document()
    change(plain)
    return glb(plain, binary)


def put(path, value):
    """Give a change that writes a value at a path such as 'nodes.0.mesh'."""

    def change(plain):
        *way, last = path.split(".")
        for step in way:
            plain = plain[int(step)] if isinstance(plain, list) else plain.setdefault(step, {})
        plain[int(last) if isinstance(plain, list) else last] = value

    return change


def wild_indices() -> bytes:
    plain, binary = document()
    start = plain["bufferViews"][3]["byteOffset"]
    return glb(plain, binary[:start] + b"\xff\xff" + binary[start + 2 :])


# --- what is hostile


@pytest.mark.parametrize(
    ("content", "why"),
    [
        (b"", "damaged"),
        (b"{}", "no glTF"),
        (b"[]", "no glTF"),
        (b"glTF", "cut off"),
        (GLB[:40], "longer than it is"),
        (GLB[:4] + struct.pack("<I", 1) + GLB[8:], "version 1"),
        (GLB[:12] + struct.pack("<I", 2**31) + GLB[16:], "cut off"),
        (b"glTF" + struct.pack("<IIII", 2, 24, 4, 0x4E4F534A) + b"null", "no glTF"),
        (b'{"asset":{"version":"1.0"}}', "version 1.0"),
        (b'{"asset":{"version":"2.0"},"x":NaN}', "number NaN"),
        (b'{"asset":{"version":"2.0"},"x":1e999}', "number 1e999"),
        (b'{"asset":{"version":"2.0"},"x":' + b"[" * 100_000 + b"]" * 100_000 + b"}", "damaged"),
        (changed(put("extensionsRequired", ["KHR_texture_pressed"])), "needs the extension KHR_texture_pressed"),
        (changed(put("extensionsRequired", ["VENDOR_unheard_of"])), "VENDOR_unheard_of"),
        (changed(put("buffers.0.byteLength", 10**9)), "longer than it is"),
        (changed(put("bufferViews.0.byteLength", 10**9)), "beyond its buffer"),
        (changed(put("bufferViews.0.byteOffset", 10**9)), "beyond its buffer"),
        (changed(put("bufferViews.0.byteOffset", -4)), "no count"),
        (changed(put("bufferViews.0.buffer", 7)), "buffer that is not there"),
        (changed(put("bufferViews.0.byteStride", 1)), "stride"),
        (changed(put("accessors.0.count", 10**7)), "beyond its buffer view"),
        (changed(put("accessors.0.count", 2.5)), "no count"),
        (changed(put("accessors.0.count", True)), "no count"),
        (changed(put("accessors.0.byteOffset", 10**7)), "beyond its buffer view"),
        (changed(put("accessors.0.type", "VEC9")), "no known type"),
        (changed(put("accessors.0.componentType", 1)), "no known type"),
        (changed(put("accessors.0.bufferView", 99)), "buffer view that is not there"),
        (changed(put("accessors.3", {"componentType": 5126, "type": "MAT4", "count": 2**30})), "more values"),
        (changed(put("nodes.0.mesh", 9)), "mesh 9, which is not there"),
        (changed(put("nodes.0.children", [0])), "circle"),
        (changed(put("nodes.0.children", [99])), "child that is not there"),
        (changed(put("nodes.0.children", ["x"])), "child that is not there"),
        (changed(put("nodes.2.children", [1])), "two parents"),
        (changed(put("nodes.0.translation", [0, 1])), "has not 3 numbers"),
        (changed(put("nodes.0.scale", [0, "x", 1])), "number that is none"),
        (changed(put("nodes.0.rotation", [1e30, 0, 0, 1])), "number that is none"),
        (changed(put("scenes.0.nodes", [1])), "none of its roots"),
        (changed(put("scene", 5)), "scene 5, which is not there"),
        (changed(put("meshes.0.primitives.0.material", 44)), "material 44"),
        (changed(put("meshes.0.primitives.0.attributes.POSITION", 3)), "different lengths"),
        (changed(put("meshes.0.primitives.0.indices", 0)), "no whole numbers"),
        (wild_indices(), "vertex that is not there"),
        (changed(put("nodes", {"a": 1})), "no list"),
        (changed(put("meshes.0.primitives", 5)), "no list"),
        (changed(put("images.0.bufferView", 0)), "no picture that can be used"),
        (changed(put("images", [{"uri": "http://far/x.png"}])), "points outside itself"),
        (changed(put("images", [{"uri": "../x.png"}])), "points outside itself"),
        (changed(put("images", [{"uri": "/etc/passwd"}])), "points outside itself"),
        (changed(put("images", [{"uri": "%2e%2e%2fx.png"}])), "points outside itself"),
        (changed(put("images", [{"uri": "C:\\x.png"}])), "points outside itself"),
        (changed(put("images", [{"uri": "leaf.png"}])), "leaf.png did not come with it"),
        (changed(put("images", [{"uri": "data:image/png;base64,%%%"}])), "damaged"),
        (changed(put("images", [{"uri": "data:image/png;base64,AAAA"}])), "no PNG, JPEG, WebP or KTX2"),
        (changed(put("buffers", [{"uri": "file:///etc/passwd", "byteLength": 4}])), "points outside itself"),
        (changed(put("animations", [{"samplers": [], "channels": [{"sampler": 0, "target": {}}]}])), "sampler 0"),
        (changed(put("extensions", {"KHR_lights_punctual": {"lights": 4}})), "no list"),
        (changed(put("skins", [{"joints": [77]}])), "joint that is not there"),
    ],
)  # fmt: skip
def test_a_file_that_lies_or_points_outside_is_refused_with_the_reason(content, why):
    with pytest.raises(UnreadableScene, match=why):
        read_gltf(content)


def test_a_chain_of_nodes_that_is_too_deep_is_refused():
    nodes = [{"children": [n + 1]} for n in range(400)] + [{}]
    plain = {"asset": {"version": "2.0"}, "scenes": [{"nodes": [0]}], "nodes": nodes}
    with pytest.raises(UnreadableScene, match="deeper than 200"):
        read_gltf(json.dumps(plain).encode())


@pytest.mark.parametrize(
    ("limits", "why"),
    [
        (GltfLimits(bytes=100), "larger than 0 MB"),
        (GltfLimits(json_bytes=10), "JSON is larger"),
        (GltfLimits(nodes=2), "4 nodes"),
        (GltfLimits(vertices=3), "more than 3 vertices"),
    ],
)
def test_limits_are_settings(limits, why):
    with pytest.raises(UnreadableScene, match=why):
        read_gltf(GLB, limits=limits)


# --- what comes in


def test_a_glb_that_needs_nothing_stays_byte_for_byte():
    read = read_gltf(GLB)
    assert pack(read) == GLB and read.notes == ()


def test_files_that_were_dropped_together_are_packed_into_one():
    plain, binary = document()
    view = plain["bufferViews"][plain["images"][0]["bufferView"]]
    png = binary[view["byteOffset"] :][: view["byteLength"]]
    plain["buffers"] = [{"uri": "fern.bin", "byteLength": len(binary)}]
    plain["images"] = [{"uri": "./bark%20one.png"}]
    text = json.dumps(plain).encode()
    read = read_gltf(text, beside={"fern.bin": binary, "bark one.png": png})
    assert len(read.notes) == 2 and "uri" not in json.dumps(read.json)
    again = read_gltf(pack(read))
    np.testing.assert_array_equal(values_of(again, 0), values_of(read_gltf(GLB), 0))
    view = again.json["bufferViews"][again.json["images"][0]["bufferView"]]
    assert again.binary[view["byteOffset"] :][: len(png)] == png
    plain["buffers"][0]["uri"] = "data:application/octet-stream;base64," + base64.b64encode(binary).decode()
    plain["images"][0]["uri"] = "data:image/png;base64," + base64.b64encode(png).decode()
    inside = read_gltf(json.dumps(plain).encode())
    np.testing.assert_array_equal(values_of(inside, 0), values_of(read_gltf(GLB), 0))


def test_nodes_materials_lights_and_cameras_are_parts_with_the_values_they_came_with():
    parts = {part.name: part for part in parts_of(document()[0], FILE, ids=Ids())}
    names = ["fern", "Pot", "Frond", "Glow", "Lens", "Materials", "Leaf green", "Lights", "Cameras", "Camera 1"]
    assert list(parts) == names  # the light has its node's name
    pot, frond = parts["Pot"], parts["Frond"]
    assert [pot.own(name) for name in ("x", "y", "z")] == [1, 2, 3] and frond.parent == pot.id
    np.testing.assert_allclose([frond.own(f"turn_{axis}") for axis in "xyz"], [0, 0, 30], atol=1e-5)
    assert frond.own("scale_y") == pytest.approx(2)
    assert [item.label for item in frond.properties][-2:] == ["Unfurl", "Shape 2"]
    assert frond.own("shape_0") == 0.25 and frond.own("shape_1") == 0
    leaf = parts["Leaf green"]
    assert leaf.own("colour") == "#bc0000" and leaf.own("opacity") == 0.5 and leaf.own("metallic") == 1
    assert leaf.own("cutoff") == 0.3 and leaf.own("base_across") == 0.1 and leaf.own("base_turn") == pytest.approx(90)
    assert leaf.own("emission_strength") == 4
    camera = next(part for part in parts.values() if part.shape.id == "gltf_camera")
    assert camera.own("field_of_view") == pytest.approx(57.29578)
    light = next(part for part in parts.values() if part.shape.id == "gltf_light")
    assert light.own("intensity") == 7 and light.has("outer_cone")


def test_hostile_and_equal_names_become_plain_ids():
    plain, binary = document()
    for place, name in enumerate(["<script>", "../x", "x", "x"]):
        plain["nodes"][place]["name"] = name
    parts = parts_of(read_gltf(glb(plain, binary)).json, FILE, ids=Ids())
    assert len({part.id for part in parts}) == len(parts)
    assert {part.id for part in parts} >= {"script", "x", "x-2", "x-3"}
    plain["nodes"][1]["name"] = {"not": "a name"}
    assert parts_of(plain, FILE, ids=Ids())[2].name == "Stem"  # the mesh's name stands in


def test_a_file_that_is_not_touched_is_built_as_it_came():
    gltf = read_gltf(GLB)
    before = copy.deepcopy(gltf.json)
    scene = model(FILE)
    built = build(scene, files={FILE.media: gltf})
    assert built.closed().json == gltf.json == before
    assert built.closed().binary[: len(gltf.binary)] == gltf.binary


def test_a_file_that_is_not_there_is_left_out():
    assert build(model(FILE), files={}).gltf.json.get("nodes", []) == []


def test_a_value_changed_by_hand_is_written_where_it_belongs():
    scene = model(FILE)
    changes = {"Frond": {"x": 5.0, "shape_0": 0.75}, "Leaf green": {"roughness": 0.125, "base_across": 0.5}}
    parts = []
    for part in scene.parts:
        new = changes.get(part.name)
        parts.append(part if new is None else part.model_copy(update={"values": {**part.values, **new}}))
    made = build(scene.but(parts=tuple(parts)), files={FILE.media: read_gltf(GLB)}).gltf.json
    assert made["nodes"][1]["translation"] == [5.0, 0.0, 0.0] and made["nodes"][1]["weights"] == [0.75, 0.0]
    material = made["materials"][0]
    assert material["pbrMetallicRoughness"]["roughnessFactor"] == 0.125
    moved = material["pbrMetallicRoughness"]["baseColorTexture"]["extensions"]["KHR_texture_transform"]
    assert moved["offset"] == [0.5, 0.2]


def test_a_matrix_is_parted_only_when_something_moves_it():
    plain, binary = document()
    plain["nodes"][0] = {"name": "Pot", "children": [1], "matrix": [0, 2, 0, 0, -2, 0, 0, 0, 0, 0, 2, 0, 4, 5, 6, 1]}
    gltf = read_gltf(glb(plain, binary))
    scene = Scene(name="s", kind="3d", files=(FILE,), parts=parts_of(gltf.json, FILE, ids=Ids()))
    pot = next(part for part in scene.parts if part.name == "Pot")
    np.testing.assert_allclose([pot.own(n) for n in ("x", "turn_z", "scale_x")], [4, 90, 2], atol=1e-6)
    assert "matrix" in build(scene, files={FILE.media: gltf}).gltf.json["nodes"][0]
    node = build(scene, files={FILE.media: gltf}, moving=[Target(part=pot.id, property="x")]).gltf.json["nodes"][0]
    assert "matrix" not in node and node["translation"] == [4, 5, 6]
    np.testing.assert_allclose(node["rotation"], [0, 0, 0.5**0.5, 0.5**0.5], atol=1e-7)


def test_own_parts_go_behind_what_came_in_and_into_its_nodes():
    scene = model(FILE)
    pot = next(part for part in scene.parts if part.name == "Pot")
    jar = Part(id="jar", name="Pot", parent=pot.id, shape=PartChoice(id="bell_jar"), values={"x": 1.0})
    built = build(scene.but(parts=(*scene.parts, jar)), files={FILE.media: read_gltf(GLB)})
    made = read_gltf(pack(built.closed())).json
    assert built.places["jar"]["node"] == 4 and 4 in made["nodes"][0]["children"]
    assert made["nodes"][4]["name"] == "Pot (jar)" and made["nodes"][4]["translation"] == [1.0, 0.0, 0.0]


def test_equal_solids_share_their_mesh_data_and_the_same_scene_gives_the_same_bytes():
    one, two = (pack(build(potting_bench(), files={}).closed()) for _ in range(2))
    assert one == two
    made = read_gltf(one).json
    kinds = {part.shape.model_dump_json() for part in potting_bench().parts if part.kind.solid}
    assert len(made["accessors"]) == 3 * len(kinds)


def test_words_without_a_letter_make_no_mesh():
    words = Part(id="t", name="T", shape=PartChoice.model_validate({"id": "text_3d", "params": {"words": " "}}))
    made = read_gltf(pack(build(Scene(name="s", kind="3d", parts=(words,)), files={}).closed())).json
    assert "meshes" not in made and len(made["nodes"]) == 1


def test_the_sketch_is_small_and_shows_something():
    drawn = sketch(build(potting_bench(), files={}))
    assert drawn.count("<path") > 500 and len(drawn) < 400_000
    empty = build(Scene(name="e", kind="3d"), files={})
    assert "<path" not in sketch(empty)


def test_a_surface_without_a_colour_is_sketched_white():
    def drawn(surface):
        gltf = read_gltf(changed(put("materials.0", surface)))
        scene = model(FILE).but(parts=parts_of(gltf.json, FILE, ids=Ids()))
        return sketch(build(scene, files={FILE.media: gltf}))

    for more in ({}, {"alphaMode": "BLEND"}):
        white = {"pbrMetallicRoughness": {"baseColorFactor": [1, 1, 1, 1]}, **more}
        assert "<path" in drawn(white) and drawn(more) == drawn(white)
    assert drawn({"alphaMode": "BLEND", "pbrMetallicRoughness": {"baseColorFactor": [1, 1, 1, 0.5]}}) != drawn(white)


# --- turns


def places(value, at=()):
    """List the way to every place of a document."""
    inside = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, item in inside:
        yield (*at, key)
        yield from places(item, (*at, key))


GONE = object()


def odd_files(odd):
    """Give the file with something odd at each place in turn, or with that place gone."""
    for *way, last in places(document()[0]):
        plain, binary = document()
        owner = plain
        for step in way:
            owner = owner[step]
        if odd is GONE:
            del owner[last]
        else:
            owner[last] = odd
        yield glb(plain, binary)


@pytest.mark.filterwarnings("error::RuntimeWarning")
@pytest.mark.parametrize(
    "odd", [GONE, None, True, "x", -1, 10**9, 1.5, 1e300, [], {}, [[]], [None], {"a": 1}], ids=lambda odd: repr(odd)[:8]
)
def test_whatever_stands_at_any_place_the_file_is_used_or_refused(odd):
    used = 0
    for content in odd_files(odd):
        try:
            read = read_gltf(content)
            made = Scene(name="s", kind="3d", files=(FILE,), parts=parts_of(read.json, FILE, ids=Ids()))
        except FernTideError:
            continue
        sketch(build(made, files={FILE.media: read}))
        used += 1
    assert used > 20  # names, notes and the like


def test_a_count_may_be_written_with_a_point():
    plain, binary = document()
    plain["accessors"][3]["count"] = 6.0
    assert len(values_of(read_gltf(glb(plain, binary)), 3)) == 6


def leaves(count):
    """A file of many nodes."""
    plain, binary = document()
    first = len(plain["nodes"])
    plain["nodes"] += [{"name": f"Leaf {n}", "mesh": 0, "translation": [n, 0, 0]} for n in range(count)]
    plain["scenes"][0]["nodes"] += list(range(first, first + count))
    return glb(plain, binary)


def test_the_work_of_many_nodes_grows_with_their_number_alone():
    def calls(count):
        content, counted = leaves(count), [0]
        sys.setprofile(lambda frame, event, arg: counted.__setitem__(0, counted[0] + 1))
        try:
            gltf = read_gltf(content)
            parts = parts_of(gltf.json, SceneFile(id="f", name="f.glb", media="1" * 64, kind="gltf"), ids=Ids())
        finally:
            sys.setprofile(None)
        assert len(parts) > count
        return counted[0]

    few, many = calls(100), calls(400)
    assert many < 4.4 * few  # it was 15 times as much: each node looked through all


def test_a_file_without_a_scene_is_shown_whole_and_that_is_said():
    plain, binary = document()
    del plain["scene"], plain["scenes"]
    gltf = read_gltf(glb(plain, binary))
    assert gltf.json["scenes"] == [{"nodes": [0, 2, 3]}] and "no scene" in gltf.notes[0]
    assert read_gltf(glb({"asset": {"version": "2.0"}}, b"")).json["scenes"] == [{}]

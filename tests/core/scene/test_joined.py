"""Several glTF files as one: nothing of any of them is lost, and every index names what it named."""

from pathlib import Path

import numpy as np
import pytest
from tests.core.scene.test_gltf import GONE, odd_files
from tests.gltf import GLB, document, glb

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.scene.gltf.accessors import values_of
from fern_tide.core.scene.gltf.container import Gltf, pack
from fern_tide.core.scene.gltf.joined import join, moved_pointer
from fern_tide.core.scene.gltf.looks import lights
from fern_tide.core.scene.gltf.packed import DRACO
from fern_tide.core.scene.gltf.reading import read_gltf

PACKED = Path(__file__).parents[2] / "packed"
KINDS = ("nodes", "meshes", "materials", "textures", "images", "cameras", "accessors", "bufferViews", "animations")


def read(content=GLB):
    return read_gltf(content)


def counts(gltf):
    return {name: len(gltf.json.get(name, [])) for name in KINDS}


def test_one_file_stays_itself():
    one = read()
    joined = join([one])
    assert joined.gltf is one and joined.starts == ({},)


def test_what_the_second_holds_stands_behind_what_the_first_holds():
    first, second = read(), read()
    joined = join([first, second])
    assert pack(first) == pack(second) == pack(read()), "neither is changed"
    assert counts(joined.gltf) == {name: 2 * count for name, count in counts(first).items()}
    plain, start = joined.gltf.json, joined.starts[1]
    assert plain["scenes"] == [{"nodes": [0, 2, 3, 4, 6, 7], "name": "Bench"}]
    assert [plain["nodes"][4][name] for name in ("name", "children")] == ["Pot 2", [5]]
    assert (plain["nodes"][5]["mesh"], plain["nodes"][7]["camera"]) == (1, 1)
    assert plain["nodes"][6]["extensions"]["KHR_lights_punctual"]["light"] == 1 and len(lights(plain)) == 2
    primitive = plain["meshes"][1]["primitives"][0]
    assert primitive["attributes"] == {"POSITION": 7, "TEXCOORD_0": 13}
    assert (primitive["indices"], primitive["material"]) == (10, 1)
    assert primitive["targets"] == [{"POSITION": 8}, {"POSITION": 9}]
    assert plain["materials"][1]["pbrMetallicRoughness"]["baseColorTexture"]["index"] == 1
    assert (plain["textures"][1]["source"], plain["images"][1]["bufferView"]) == (1, 15)
    assert plain["animations"][1]["samplers"] == [{"input": 11, "output": 12}]
    assert plain["animations"][1]["channels"][0]["target"]["node"] == 4
    assert (start["nodes"], start["materials"], start["lights"], start["cameras"]) == (4, 1, 1, 1)


@pytest.mark.parametrize("names", [("quantized", "draco", "meshopt"), ("meshopt", "meshopt", "quantized")], ids=str)
def test_packed_ones_are_joined_and_pass_all_that_a_file_is_checked_for(names):
    files = [read(), *(read((PACKED / f"{name}.glb").read_bytes()) for name in names)]
    joined = join(files)
    again = read(pack(joined.gltf))
    for file, start in zip(files, joined.starts, strict=True):
        first = start.get("accessors", 0)
        for place, accessor in enumerate(file.json["accessors"]):
            its = again.json["accessors"][first + place]
            assert {**its, "bufferView": 0, "sparse": 0} == {**accessor, "bufferView": 0, "sparse": 0}
            view = file.json["bufferViews"][accessor["bufferView"]] if "bufferView" in accessor else {"buffer": 1}
            if not view["buffer"]:
                assert np.array_equal(values_of(again, first + place), values_of(file, place))
        for mesh, its in zip(file.json["meshes"], again.json["meshes"][start.get("meshes", 0) :], strict=False):
            packed, moved = (
                [
                    item["extensions"][DRACO]["bufferView"]
                    for item in one["primitives"]
                    if DRACO in item.get("extensions", {})
                ]
                for one in (mesh, its)
            )
            assert moved == [view + start.get("bufferViews", 0) for view in packed]
    needed = {name for file in files for name in file.json.get("extensionsRequired", [])}
    assert set(again.json["extensionsRequired"]) == needed


def test_what_lies_behind_a_file_of_odd_length_begins_at_a_multiple_of_four():
    plain, binary = document()
    joined = join([Gltf(plain, binary + b"odd"), read()])
    assert joined.starts[1]["binary"] % 4 == 0 and joined.starts[1]["binary"] > len(binary)
    assert np.array_equal(values_of(joined.gltf, 7), values_of(read(), 0))


def test_files_with_nothing_in_them_have_no_buffer():
    nothing = read(glb({"asset": {"version": "2.0"}}, b""))
    plain = join([nothing, nothing]).gltf.json
    assert "buffers" not in plain and plain["scenes"] == [{}]
    assert join([nothing, read()]).gltf.json["scenes"] == [{"nodes": [0, 2, 3]}]


def test_extensions_that_are_not_read_are_left_out_of_all_but_the_first():
    def change(plain):
        plain["extensionsUsed"] += ["VENDOR_crowd", "KHR_materials_diffuse_transmission"]
        plain["extensions"]["VENDOR_crowd"] = {"nodes": [0]}
        plain["nodes"][0]["extensions"] = {"VENDOR_crowd": {"like": 1}}
        plain["nodes"][0]["extras"] = {"extensions": {"VENDOR_crowd": "kept"}}
        through = {"diffuseTransmissionTexture": {"index": 0}}
        plain["materials"][0]["extensions"]["KHR_materials_diffuse_transmission"] = through

    first, plain = odd(change).json, join([odd(change), odd(change)]).gltf.json
    assert plain["nodes"][0] == first["nodes"][0] and plain["extensions"]["VENDOR_crowd"] == {"nodes": [0]}
    assert "extensions" not in plain["nodes"][4]
    assert plain["nodes"][4]["extras"] == first["nodes"][0]["extras"]
    through = plain["materials"][1]["extensions"]["KHR_materials_diffuse_transmission"]
    assert through["diffuseTransmissionTexture"]["index"] == 1
    assert sorted(plain["extensionsUsed"]) == sorted(first["extensionsUsed"])
    assert join([read(), odd(change)]).gltf.json["extensionsUsed"].count("VENDOR_crowd") == 0


def test_what_is_called_alike_gets_a_number_that_nothing_has_yet():
    def change(plain):
        plain["nodes"][0]["name"], plain["nodes"][2]["name"], plain["nodes"][3]["name"] = "Glow", "Glow", "Frond 2"
        del plain["materials"][0]["name"]

    plain = join([read(), odd(change), read()]).gltf.json
    names = [
        "Pot",
        "Frond",
        "Glow",
        "Lens",
        "Glow 2",
        "Frond 3",
        "Glow 3",
        "Frond 2",
        "Pot 2",
        "Frond 4",
        "Glow 4",
        "Lens 2",
    ]
    assert [item["name"] for item in plain["nodes"]] == names
    assert [item.get("name") for item in plain["materials"]] == ["Leaf green", None, "Leaf green 2"]


def odd(change):
    plain, binary = document()
    change(plain)
    return Gltf(plain, binary)


def test_a_sparse_accessor_a_skin_and_other_scenes_go_along():
    def change(plain):
        sparse = {"count": 1, "indices": {"bufferView": 3, "componentType": 5123}, "values": {"bufferView": 1}}
        plain["accessors"][0]["sparse"] = sparse
        plain["skins"] = [{"joints": [0, 1], "skeleton": 0, "inverseBindMatrices": 5}]
        plain["nodes"][1]["skin"] = 0
        plain["scenes"] = [{"nodes": [3], "name": "Spare"}, {"nodes": [0, 2]}]
        plain["scene"] = 1
        pointer = {"pointer": "/materials/0/alphaCutoff"}
        target = {"path": "pointer", "extensions": {"KHR_animation_pointer": pointer}}
        plain["animations"][0]["channels"].append({"sampler": 0, "target": target})

    plain = join([read(), odd(change)]).gltf.json
    assert plain["accessors"][7]["sparse"]["indices"]["bufferView"] == 11
    assert plain["accessors"][7]["sparse"]["values"]["bufferView"] == 9
    assert plain["skins"] == [{"joints": [4, 5], "skeleton": 4, "inverseBindMatrices": 12}]
    assert plain["nodes"][5]["skin"] == 0
    assert plain["scenes"] == [{"nodes": [0, 2, 3, 4, 6], "name": "Bench"}, {"nodes": [7], "name": "Spare"}]
    target = plain["animations"][1]["channels"][1]["target"]
    assert target["extensions"]["KHR_animation_pointer"]["pointer"] == "/materials/1/alphaCutoff"


def test_an_extension_of_the_first_that_is_no_object_gives_way():
    def spoil(plain):
        plain["extensions"]["KHR_materials_variants"] = plain["extensions"]["KHR_xmp_json_ld"] = [1]

    def change(plain):
        plain["extensions"]["KHR_materials_variants"] = {"variants": [{"name": "Autumn"}]}

    plain = join([odd(spoil), odd(change), odd(spoil)]).gltf.json
    assert plain["extensions"]["KHR_materials_variants"] == {"variants": [{"name": "Autumn"}]}


def test_what_extensions_name_is_named_still():
    def change(plain):
        plain["extensions"]["KHR_materials_variants"] = {"variants": [{"name": "Autumn"}]}
        plain["extensions"]["KHR_xmp_json_ld"] = {"packets": [{"dc:title": "Fern"}]}
        plain["extensions"]["KHR_lights_punctual"]["extras"] = plain["buffers"][0]["extras"] = {"note": "kept"}
        plain["nodes"][0]["extensions"] = {"KHR_xmp_json_ld": {"packet": 0}}
        mapping = {"mappings": [{"material": 0, "variants": [0]}]}
        plain["meshes"][0]["primitives"][0]["extensions"] = {"KHR_materials_variants": mapping}
        plain["materials"][0]["extensions"]["KHR_materials_clearcoat"] = {"clearcoatTexture": {"index": 0}}
        plain["textures"][0]["extensions"] = {"EXT_texture_webp": {"source": 0}, "KHR_texture_basisu": {"source": 0}}

    plain = join([odd(change), odd(change)]).gltf.json
    assert [len(plain["extensions"][owner][name]) for owner, name in
            (("KHR_materials_variants", "variants"), ("KHR_xmp_json_ld", "packets"))] == [2, 2]  # fmt: skip
    assert plain["nodes"][4]["extensions"]["KHR_xmp_json_ld"]["packet"] == 1
    assert plain["extensions"]["KHR_lights_punctual"]["extras"] == plain["buffers"][0]["extras"] == {"note": "kept"}
    (mapping,) = plain["meshes"][1]["primitives"][0]["extensions"]["KHR_materials_variants"]["mappings"]
    assert mapping == {"material": 1, "variants": [1]}
    assert plain["materials"][1]["extensions"]["KHR_materials_clearcoat"]["clearcoatTexture"]["index"] == 1
    assert [item["source"] for item in plain["textures"][1]["extensions"].values()] == [1, 1]


@pytest.mark.parametrize(
    ("pointer", "moved"),
    [
        ("/nodes/3/translation", "/nodes/13/translation"),
        ("/materials/0/pbrMetallicRoughness/baseColorFactor", "/materials/20/pbrMetallicRoughness/baseColorFactor"),
        ("/extensions/KHR_lights_punctual/lights/1/intensity", "/extensions/KHR_lights_punctual/lights/31/intensity"),
        ("/elsewhere/1/x", "/elsewhere/1/x"),
        ("", ""),
    ],
)
def test_pointers_go_along(pointer, moved):
    assert moved_pointer(pointer, {"nodes": 10, "materials": 20, "lights": 30}) == moved


@pytest.mark.parametrize(
    "value", [GONE, None, True, "x", -1, 10**9, 1.5, [], {}, [None], {"a": 1}], ids=lambda one: repr(one)[:8]
)
def test_whatever_stands_at_any_place_a_file_that_is_used_can_be_joined(value):
    good, used = read(), 0
    for content in odd_files(value):
        try:
            other = read(content)
        except FernTideError:
            continue
        for pair in ((good, other), (other, good)):
            read(pack(join(pair).gltf))
        used += 1
    assert used > 20

"""Meshes that came packed: read for where they lie, handed on as they came, and refused where they lie about it.

tests/packed holds one model, a pot and a bulb, as another program packed it: with Draco, with meshopt, and with whole
numbers for its places.
"""

import copy
import json
from pathlib import Path

import numpy as np
import pytest
from tests.gltf import glb

from fern_tide.core.base.errors import UnreadableScene
from fern_tide.core.base.naming import Ids
from fern_tide.core.scene.gltf.boxes import placed
from fern_tide.core.scene.gltf.build import build
from fern_tide.core.scene.gltf.container import listed, pack
from fern_tide.core.scene.gltf.parts import parts_of
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.gltf.sketch import sketch
from fern_tide.core.scene.scene import Scene, SceneFile

FOLDER = Path(__file__).parents[2] / "packed"
NAMES = ("draco", "meshopt", "quantized")
FILE = SceneFile(id="f", name="pots.glb", media="3" * 64, kind="gltf")


def content_of(name):
    return (FOLDER / f"{name}.glb").read_bytes()


def scene_of(gltf):
    return Scene(name="s", kind="3d", files=(FILE,), parts=parts_of(gltf.json, FILE, ids=Ids()))


@pytest.mark.parametrize("name", NAMES)
def test_a_packed_model_lies_where_it_lies_unpacked(name):
    corners = np.concatenate(list(placed(read_gltf(content_of(name))).corners.values()))
    # a pot 1 m wide and tall from the floor up, by its own measures, and a bulb of 1 m that begins 1.2 m above it
    assert corners.min(axis=0) == pytest.approx([-0.5, 0.0, -0.5], abs=2e-3)
    assert corners.max(axis=0) == pytest.approx([0.5, 2.2, 0.5], abs=2e-3)


@pytest.mark.parametrize("name", NAMES)
def test_a_packed_model_is_handed_on_as_it_came(name):
    gltf = read_gltf(content_of(name))
    before = json.loads(json.dumps(gltf.json))
    built = build(scene_of(gltf), files={FILE.media: gltf})
    built.add(np.zeros(4, dtype="<f4"), "SCALAR")
    after = read_gltf(pack(built.closed()))
    assert after.binary.startswith(gltf.binary) and len(after.binary) == len(gltf.binary) + 16
    assert after.json["bufferViews"][:-1] == before["bufferViews"] and after.json["meshes"] == before["meshes"]
    assert after.json["buffers"][1:] == before["buffers"][1:]
    assert after.json["extensionsRequired"] == before["extensionsRequired"]


@pytest.mark.parametrize("name", NAMES)
def test_a_packed_model_has_a_picture_that_is_its_boxes(name):
    gltf = read_gltf(content_of(name))
    triangles = sketch(build(scene_of(gltf), files={FILE.media: gltf})).count("<path")
    assert triangles == 2 * 12 if name != "quantized" else triangles > 500


def changed(name, change):
    gltf = read_gltf(content_of(name))
    document = copy.deepcopy(gltf.json)
    change(document)
    return glb(document, gltf.binary)


def packing(document):
    return document["bufferViews"][0]["extensions"]["EXT_meshopt_compression"]


@pytest.mark.parametrize(
    ("name", "change", "words"),
    [
        ("meshopt", lambda d: packing(d).update(byteLength=1 << 30), "reaches beyond its buffer"),
        ("meshopt", lambda d: packing(d).update(count=packing(d)["count"] + 1), "says wrongly how it is packed"),
        ("meshopt", lambda d: packing(d).update(mode="ZIP"), "says wrongly how it is packed"),
        ("meshopt", lambda d: packing(d).update(byteStride=0), "says wrongly how it is packed"),
        ("meshopt", lambda d: packing(d).update(buffer=7), "names a buffer that is not there"),
        ("meshopt", lambda d: d["bufferViews"][0].pop("extensions"), "names a buffer that is not there"),
        ("meshopt", lambda d: d["bufferViews"][0].update(byteOffset=1 << 20), "reaches beyond its buffer"),
        ("meshopt", lambda d: d["buffers"][1].pop("extensions"), "buffer 1 is not in it"),
        ("meshopt", lambda d: d.update(images=[{"bufferView": 0, "mimeType": "image/png"}]), "packed as no image is"),
        ("draco", lambda d: draco_of(d).update(bufferView=99), "names a buffer view that is not there"),
        ("draco", lambda d: draco_of(d).update(bufferView=len(d["bufferViews"])), "a buffer view that is not there"),
        ("draco", lambda d: d["extensionsRequired"].append("KHR_texture_pressed"), "KHR_texture_pressed"),
    ],
)
def test_what_says_wrongly_how_it_is_packed_is_refused(name, change, words):
    with pytest.raises(UnreadableScene, match=words):
        read_gltf(changed(name, change))


def draco_of(document):
    return document["meshes"][0]["primitives"][0]["extensions"]["KHR_draco_mesh_compression"]


def test_what_would_be_too_large_unpacked_is_refused():
    def huge(document):
        packing(document).update(byteStride=256, count=1 << 23)
        document["bufferViews"][0]["byteLength"] = 1 << 31
        document["buffers"][1]["byteLength"] = 1 << 32

    with pytest.raises(UnreadableScene, match="larger than 1 GB unpacked"):
        read_gltf(changed("meshopt", huge))


def with_meshes(count):
    """Give a change that adds meshes, each with indices in a buffer view of their own."""

    def change(document):
        first = document["meshes"][0]["primitives"][0]
        accessor = document["accessors"][first["indices"]]
        for _ in range(count):
            document["bufferViews"].append(dict(document["bufferViews"][accessor["bufferView"]]))
            document["accessors"].append(accessor | {"bufferView": len(document["bufferViews"]) - 1})
            document["meshes"].append({"primitives": [first | {"indices": len(document["accessors"]) - 1}]})

    return change


def test_work_grows_with_the_meshes_and_not_with_their_square(monkeypatch):
    looked_at = []

    def counted(owner, name):
        items = listed(owner, name)
        looked_at.append(len(items))
        return items

    for module in ("packed", "reading"):
        monkeypatch.setattr(f"fern_tide.core.scene.gltf.{module}.listed", counted)
    sums = []
    for count in (100, 200):
        looked_at.clear()
        read_gltf(changed("quantized", with_meshes(count)))
        sums.append(sum(looked_at))
    assert sums[1] < 2.5 * sums[0]

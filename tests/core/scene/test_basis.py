"""Basis textures: read by their head, handed on as they came, and refused where they lie.

tests/packed holds one picture of 8 x 8 pixels, red, green, blue and yellow in its quarters, as another program packed
it.
"""

import struct
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.gltf import glb

from fern_tide.core.base.errors import UnreadableScene
from fern_tide.core.base.naming import Ids
from fern_tide.core.scene.gltf.basis import measure_basis
from fern_tide.core.scene.gltf.build import build
from fern_tide.core.scene.gltf.container import pack
from fern_tide.core.scene.gltf.parts import parts_of
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.scene import Scene, SceneFile

TILES = {kind: (Path(__file__).parents[2] / f"packed/tile-{kind}.ktx2").read_bytes() for kind in ("uastc", "etc1s")}
FILE = SceneFile(id="f", name="tile.glb", media="4" * 64, kind="gltf")


def tiled(tile):
    """A square metre, unlit, with a tile on it."""
    corners = np.array([[-0.5, 0, 0], [0.5, 0, 0], [0.5, 1, 0], [-0.5, 1, 0]], dtype="<f4")
    across = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], dtype="<f4")
    pieces = [corners.tobytes(), across.tobytes(), np.array([0, 1, 2, 0, 2, 3], dtype="<u4").tobytes(), tile]
    ends = np.cumsum([len(piece) for piece in pieces]).tolist()
    views = [
        {"buffer": 0, "byteOffset": end - len(piece), "byteLength": len(piece)}
        for end, piece in zip(ends, pieces, strict=True)
    ]
    basis = {"KHR_texture_basisu": {"source": 0}}
    return {
        "asset": {"version": "2.0"},
        "extensionsUsed": ["KHR_texture_basisu", "KHR_materials_unlit"],
        "extensionsRequired": ["KHR_texture_basisu"],
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"name": "Tile", "mesh": 0}],
        "meshes": [
            {"primitives": [{"attributes": {"POSITION": 0, "TEXCOORD_0": 1}, "indices": 2, "material": 0}]},
        ],
        "materials": [
            {"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}, "extensions": {"KHR_materials_unlit": {}}}
        ],
        "textures": [{"extensions": basis}],
        "images": [{"bufferView": 3, "mimeType": "image/ktx2"}],
        "accessors": [
            {
                "bufferView": 0,
                "componentType": 5126,
                "count": 4,
                "type": "VEC3",
                "min": [-0.5, 0, 0],
                "max": [0.5, 1, 0],
            },
            {"bufferView": 1, "componentType": 5126, "count": 4, "type": "VEC2"},
            {"bufferView": 2, "componentType": 5125, "count": 6, "type": "SCALAR"},
        ],
        "bufferViews": views,
        "buffers": [{"byteLength": ends[-1]}],
    }, b"".join(pieces)


def word(tile, place, value, *, kind="<I"):
    """A tile with a number changed, so many bytes after what says that it is KTX2."""
    size = struct.calcsize(kind)
    return tile[: 12 + place] + struct.pack(kind, value) + tile[12 + place + size :]


@pytest.mark.parametrize("kind", TILES)
def test_a_basis_texture_is_read_and_handed_on_as_it_came(kind):
    info = measure_basis(TILES[kind])
    assert (info.width, info.height, info.media_type) == (8, 8, "image/ktx2")
    gltf = read_gltf(glb(*tiled(TILES[kind])))
    scene = Scene(name="s", kind="3d", files=(FILE,), parts=parts_of(gltf.json, FILE, ids=Ids()))
    after = read_gltf(pack(build(scene, files={FILE.media: gltf}).closed()))
    view = after.json["bufferViews"][after.json["images"][0]["bufferView"]]
    assert after.binary[view["byteOffset"] : view["byteOffset"] + view["byteLength"]] == TILES[kind]
    assert after.json["extensionsRequired"] == ["KHR_texture_basisu"]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda tile: tile[:70], "cut off"),
        (lambda tile: tile[:-1], "cut off"),
        (lambda tile: word(tile, 0, 37), "no Basis texture"),  # pixels as they are
        (lambda tile: word(tile, 16, 8), "no Basis texture"),  # deep
        (lambda tile: word(tile, 20, 2), "no Basis texture"),  # layers
        (lambda tile: word(tile, 24, 6), "no Basis texture"),  # a cube
        (lambda tile: word(tile, 32, 3), "no Basis texture"),  # packed otherwise
        (lambda tile: word(word(tile, 8, 60_000), 12, 60_000), "3600 million pixels"),
        (lambda tile: word(tile, 8, 0), "million pixels"),
        (lambda tile: word(tile, 28, 5), "more sizes"),
        (lambda tile: word(tile, 28, 0), "more sizes"),
        (lambda tile: word(tile, 28, 2**31), "more sizes"),
        (lambda tile: word(tile, 68, 2**60, kind="<Q"), "cut off"),
        (lambda tile: word(tile, 76, 0, kind="<Q"), "cut off"),
        (lambda tile: word(tile, 84, 2**40, kind="<Q"), "larger unpacked"),
        (lambda tile: word(tile, 84, 65, kind="<Q"), "larger unpacked"),
    ],
)
def test_a_basis_texture_that_lies_is_refused(change, words):
    with pytest.raises(UnreadableScene, match=words):
        measure_basis(change(TILES["uastc"]))
    with pytest.raises(UnreadableScene, match="in one of its images"):
        read_gltf(glb(*tiled(change(TILES["uastc"]))))


@given(st.binary(max_size=200))
def test_nothing_else_is_taken_for_one(content):
    with pytest.raises(UnreadableScene):
        measure_basis(content)


def test_a_texture_that_names_no_picture_is_refused():
    document, binary = tiled(TILES["uastc"])
    document["textures"][0]["extensions"]["KHR_texture_basisu"]["source"] = 3
    with pytest.raises(UnreadableScene, match="a texture"):
        read_gltf(glb(document, binary))

"""Accessors that say only what changes, as many programs write morph targets, against numbers worked out by hand."""

import json
import struct

import numpy as np
import pytest
from tests.gltf import document, glb
from tests.interchange.test_other_programs import NODE, node

from fern_tide.core.base.errors import UnreadableScene
from fern_tide.core.scene.gltf.accessors import values_of
from fern_tide.core.scene.gltf.packed import is_packed
from fern_tide.core.scene.gltf.reading import read_gltf

MOVES = np.array([[0.0, 0.0, 2.0], [0.5, -1.0, 0.0]], dtype="<f4")


def sparse(places=(1, 3), *, over=False, kind=5123, count=None, **view):
    """A model whose first morph target says only what two of its four points do; or what they do over what it had."""
    plain, binary = document()
    indices = np.array(places, dtype={5121: "<u1", 5123: "<u2", 5125: "<u4", 5126: "<f4"}[kind]).tobytes()
    start = len(binary)
    binary += indices + b"\0" * (-len(indices) % 4) + MOVES.tobytes()
    views, target = plain["bufferViews"], plain["accessors"][1]
    views += [
        {"buffer": 0, "byteOffset": start, "byteLength": len(indices), **view},
        {"buffer": 0, "byteOffset": len(binary) - MOVES.nbytes, "byteLength": MOVES.nbytes},
    ]
    plain["buffers"][0]["byteLength"] = len(binary)
    target["sparse"] = {
        "count": len(places) if count is None else count,
        "indices": {"bufferView": len(views) - 2, "componentType": kind},
        "values": {"bufferView": len(views) - 1},
    }
    if not over:
        del target["bufferView"]
        target.pop("byteOffset", None)
    return plain, binary


@pytest.mark.parametrize("kind", [5121, 5123, 5125])
@pytest.mark.parametrize("over", [False, True])
def test_what_changes_lies_over_zeros_or_over_what_was_there(kind, over):
    before = values_of(read_gltf(glb(*document())), 1)
    gltf = read_gltf(glb(*sparse(kind=kind, over=over)))
    wanted = before.copy() if over else np.zeros((4, 3), dtype="<f4")
    wanted[[1, 3]] = MOVES
    assert not is_packed(gltf, gltf.json["accessors"][1])
    np.testing.assert_array_equal(values_of(gltf, 1), wanted)
    np.testing.assert_array_equal(values_of(gltf, 0), values_of(read_gltf(glb(*document())), 0))


def test_it_is_what_three_js_reads(tmp_path):
    plain, binary = sparse()
    plain["accessors"][1] |= {"min": [0, -1, 0], "max": [0.5, 0, 2]}
    file = tmp_path / "sparse.glb"
    file.write_bytes(glb(plain, binary))
    asked = {"moves": ["node", 1, "geometry.morphAttributes.position.0.array"]}
    seen = node(NODE / "sample.mjs", file, json.dumps([0.0]), json.dumps(asked))["moves"]
    first = seen[0]
    read = [first[str(at)] for at in range(12)] if isinstance(first, dict) else first
    np.testing.assert_allclose(np.reshape(read, (4, 3)), values_of(read_gltf(glb(plain, binary)), 1), atol=1e-6)


@pytest.mark.parametrize(
    ("made", "words"),
    [
        ({"places": (1, 4)}, "changes a value that is not there"),
        ({"kind": 5126}, "says wrongly what it changes"),
        ({"byteStride": 4}, "says wrongly what it changes"),
        ({"count": 3}, "reaches beyond its buffer view"),
    ],
)
def test_one_that_lies_is_refused(made, words):
    with pytest.raises(UnreadableScene, match=words):
        read_gltf(glb(*sparse(**made)))


def test_one_whose_changes_are_packed_is_packed():
    plain, binary = sparse()
    plain["buffers"].append({"byteLength": 64, "extensions": {"EXT_meshopt_compression": {"fallback": True}}})
    stub = plain["bufferViews"][-1]
    packing = {"buffer": 0, "byteOffset": 0, "byteLength": 24, "byteStride": 12, "count": 2, "mode": "ATTRIBUTES"}
    stub |= {"buffer": 1, "byteOffset": 0, "extensions": {"EXT_meshopt_compression": packing}}
    plain["extensionsUsed"] = [*plain.get("extensionsUsed", []), "EXT_meshopt_compression"]
    gltf = read_gltf(glb(plain, binary))
    assert is_packed(gltf, gltf.json["accessors"][1])
    assert struct.calcsize("<f") * 12 == values_of(gltf, 1).nbytes and not values_of(gltf, 1).any()

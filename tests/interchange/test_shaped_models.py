"""Models that came with a file, bent and rippled: three.js moves their points where the exact surface is."""

import json

import numpy as np
import pytest
from tests.gltf import Packing, document, glb
from tests.interchange.test_other_programs import NODE, SPEC, node

from fern_tide.core.bake.bake import bake
from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.naming import Ids
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.gltf.parts import parts_of
from fern_tide.core.scene.gltf.plain_mesh import n_vertices
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.mesh import Mesh
from fern_tide.core.scene.scene import Scene, SceneFile
from fern_tide.core.scene.shaping import Shaping

FRAMES, RATE = 24, FrameRate.parse("24")
FILE = SceneFile(id="file", kind="gltf", name="stems.glb", media="a" * 64)


def stems(*, own_shapes=False, mode=4):
    """Two stems of one mesh: a column of 40 strips with indices, and a leaf without; as an exporter would write it."""
    column = np.array([[x, y / 40, 0.02 * y % 0.1] for y in range(41) for x in (-0.1, 0.1)], dtype="<f4")
    strips = np.array([[2 * y, 2 * y + 1, 2 * y + 2, 2 * y + 1, 2 * y + 3, 2 * y + 2] for y in range(40)], dtype="<u2")
    leaf = np.array([[0, 0.5, 0], [0.4, 0.6, 0], [0, 0.7, 0.1]], dtype="<f4")
    facing = np.tile(np.array([0, 0, 1], dtype="<f4"), (82, 1))
    packing = Packing()
    add, points = packing.add, packing.points
    one = {"attributes": {"POSITION": points(column), "NORMAL": add(facing, 5126, "VEC3")}, "mode": mode}
    one["indices"] = add(strips.ravel(), 5123, "SCALAR")
    if own_shapes:
        one["targets"] = [{"POSITION": points(column * 0.5)}]
    other = {"attributes": {"POSITION": points(leaf)}}
    plain = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0, 1, 2]}],
        "nodes": [
            {"name": "Stem", "mesh": 0, "rotation": [0, 0.6, 0, 0.8]},
            {"name": "Twin", "mesh": 0},
            {"name": "Hook"},
        ],
        "meshes": [{"name": "Stalk", "primitives": [one] if own_shapes else [one, other]}],
    }
    return packing.glb(plain), np.concatenate([column, leaf]).astype(np.float64), len(column)


def scene_of(content, *shapers, part="stem"):
    gltf = read_gltf(content)
    parts = parts_of(gltf.json, FILE, ids=Ids())
    given = tuple(Shaping.model_validate({"slot": at + 1, "shaper": one}) for at, one in enumerate(shapers))
    parts = tuple(one.but(shapers=given) if one.id == part else one for one in parts)
    return Scene(name="S", kind="3d", files=(FILE,), parts=parts), SceneMedia(gltfs={FILE.media: gltf})


def moved(scene, media, ends, lift):
    drives = [{"target": f"stem:{name}", "rest": 0, "full": full} for name, full in ends.items()]
    marks = {"low": 0, "high": 1}
    mapping = Mapping.model_validate({"id": "m", "name": "M", "envelope": "e", "marks": marks, "drives": drives})
    curves = bake(scene, [mapping], lifts={"m": lift}, n_frames=FRAMES)
    return write(HandOff("S", scene, curves, RATE, FRAMES, media), format=SPEC)


def positions_in(content, document, accessor):
    item = document["accessors"][accessor]
    view = document["bufferViews"][item["bufferView"]]
    start = 20 + int.from_bytes(content[12:16], "little") + 8 + view.get("byteOffset", 0) + item.get("byteOffset", 0)
    return np.frombuffer(content, dtype="<f4", count=3 * item["count"], offset=start).reshape(-1, 3).astype(np.float64)


def test_a_model_bends_and_ripples_as_the_exact_surface_does_and_its_twin_stands_still(tmp_path):
    content, points, _ = stems()
    scene, media = scene_of(content, {"id": "bend", "params": {"most": 60}}, {"id": "ripple"})
    lift = np.linspace(0, 1, FRAMES)
    written = moved(scene, media, {"shaper1_amount": 55, "shaper2_amount": 0.05, "shaper2_phase": 300}, lift)
    assert written.error < 1e-5
    file = tmp_path / "stems.glb"
    file.write_bytes(written.content)
    (report,) = node(NODE / "validate.cjs", file)
    assert report["messages"] == []
    size = int.from_bytes(written.content[12:16], "little")
    out = json.loads(written.content[20 : 20 + size])
    stem, twin = (out["meshes"][one["mesh"]] for one in out["nodes"][:2])
    assert "targets" not in twin["primitives"][0] and "NORMAL" not in stem["primitives"][1]["targets"][0]
    asked = {str(at): ["node", 0, f"children.{at}.morphTargetInfluences"] for at in range(2)}
    both = node(NODE / "sample.mjs", file, json.dumps([f / 24 for f in range(FRAMES)]), json.dumps(asked))
    assert both["0"] == both["1"], "all of a mesh moves as one"
    seen = np.array(both["0"])
    mesh = Mesh(points, np.zeros_like(points), np.zeros((0, 3), dtype=np.uint32))
    bend, ripple = scene.part("stem").shapers
    for frame in range(FRAMES):
        shown = []
        for primitive in stem["primitives"]:
            base = positions_in(written.content, out, primitive["attributes"]["POSITION"])
            shapes = [positions_in(written.content, out, target["POSITION"]) for target in primitive["targets"]]
            shown.append(base + np.tensordot(seen[frame], shapes, axes=1))
        whole = np.concatenate(shown)
        exact = bend.shaper.spec.move(mesh, bend.shaper.params, amount=55 * lift[frame])
        angle, amount = np.radians(300 * lift[frame]), 0.05 * lift[frame]
        one = ripple.shaper.spec.move(mesh, ripple.shaper.params, amount=1.0) - points
        exact = exact + amount * (
            np.cos(angle) * one + np.sin(angle) * ripple.shaper.spec.quarter(mesh, ripple.shaper.params)
        )
        assert np.abs(whole - exact).max() < 0.005 * np.ptp(points, axis=0).max()
    assert np.abs(whole - points).max() > 0.2


def test_what_cannot_be_shaped_says_so_and_what_needs_too_much_is_refused_by_numbers():
    for content in (stems(own_shapes=True)[0], stems(mode=5)[0], glb(*document())):
        scene, _ = scene_of(content)
        vertices = [part.shape.params.vertices for part in scene.parts if part.kind.in_file == "node"]
        assert not any(vertices)
    with pytest.raises(InvalidParameter, match="plain triangles"):
        scene_of(stems(mode=5)[0], {"id": "bend"})
    with pytest.raises(InvalidParameter, match="plain triangles"):
        scene_of(stems()[0], {"id": "bend"}, part="hook")
    plain = read_gltf(stems()[0]).json
    assert n_vertices(plain, plain["meshes"][0]) == 85
    plain["accessors"][plain["meshes"][0]["primitives"][1]["attributes"]["POSITION"]]["count"] = 200_000
    assert not n_vertices(plain, plain["meshes"][0])
    scene, _ = scene_of(stems()[0])
    stem = scene.part("stem")
    large = stem.but(shape=stem.shape.but(params=stem.shape.params.but(vertices=190_000)))
    bends = [Shaping.model_validate({"slot": at, "shaper": {"id": "bend"}}) for at in (1, 2)]
    with pytest.raises(InvalidParameter, match=r"at most 4,000,000: fewer shapers"):
        scene.but(parts=tuple(large.but(shapers=bends) if part.id == "stem" else part for part in scene.parts))

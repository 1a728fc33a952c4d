"""Scenes that came in go home with their motion, and otherwise as they came."""

import difflib
import json
import re
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays
from jsonschema import Draft202012Validator
from tests.core.formats.hand_offs import FRAMES, LEAF, RATE, SVG_FILE, curves_of, fern, leaf
from tests.gltf import GLB

from fern_tide.core.bake.thin import Interpolation, thin
from fern_tide.core.base.errors import FernTideError
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.formats.writers.json import schema
from fern_tide.core.scene.gltf.accessors import values_of
from fern_tide.core.scene.gltf.looks import lights
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.rotation import matrices
from fern_tide.core.scene.scene import Part, PartChoice
from fern_tide.core.scene.studio_light import StudioLight
from fern_tide.demo.bench_scene import potting_bench
from fern_tide.workflows.bring_in.scene_files import empty_scene


def with_part(scene, part_id, **update):
    return scene.but(parts=tuple(p.model_copy(update=update) if p.id == part_id else p for p in scene.parts))


# --- SVG

SVG_ENDS = (
    ("sprig:turn", 0, 20),
    ("sprig:x", 0, 7),
    ("rectangle-1:fill", "#aa3300", "#00ff00"),
    ("leaf-2:stroke_width", 2, 9),
)


def test_an_svg_comes_back_letter_for_letter_but_for_the_animations():
    written = write(leaf(*SVG_ENDS), format=FORMATS["svg"])
    assert written.error < 1e-3 and written.n_curves == 4
    ours = re.compile(rb'<v:(?:animate|animateTransform) id="fern-tide-[^>]*/>')
    without = ours.sub(b"", written.content)
    assert without.replace(b"></v:rect>", b"/>") == LEAF
    lines = [*difflib.ndiff(LEAF.decode().splitlines(), without.decode().splitlines())]
    assert [line for line in lines if line[0] in "+-"] == [
        '-     <v:rect class="a" width=\'40\' height="30"/>',
        '+     <v:rect class="a" width=\'40\' height="30"></v:rect>',
    ]
    assert len(ours.findall(written.content)) == 8 + 1 + 1  # the place in eight, the colour, the width


NODDING = LEAF.replace(
    b"</v:g>", b'<v:animate attributeName="opacity" values="0;1" dur="2s"><v:title>x</v:title></v:animate></v:g>'
)


@pytest.mark.parametrize("plays", [True, False])
def test_motion_that_an_svg_came_with_goes_home_unless_it_is_switched_off(plays):
    hand_off = leaf(*SVG_ENDS, content=NODDING)
    files = (SVG_FILE.model_copy(update={"plays": plays}),)
    hand_off = HandOff("L", hand_off.scene.but(files=files), hand_off.curves, RATE, FRAMES, hand_off.media)
    written = write(hand_off, format=FORMATS["svg"])
    assert written.error < 1e-3 and (b'values="0;1" dur="2s"' in written.content) is plays
    ours = re.compile(rb'<v:(?:animate|animateTransform) id="fern-tide-[^>]*/>')
    rest = ours.sub(b"", written.content).replace(b"></v:rect>", b"/>")
    assert rest == (NODDING if plays else LEAF)


def test_a_value_that_was_changed_by_hand_goes_home_too():
    hand_off = leaf(("sprig:x", 0, 7))
    scene = with_part(hand_off.scene, "leaf-2", values={"stroke": "#008080", "stroke_width": 5.0})
    changed = HandOff("L", scene, hand_off.curves, RATE, FRAMES, hand_off.media)
    content = write(changed, format=FORMATS["svg"]).content
    assert b'<v:set id="fern-tide-leaf-2-stroke_width" attributeName="stroke-width" to="5" />' in content


def test_an_svg_with_parts_made_here_is_drawn_whole_and_reads_back():
    disc = Part(id="disc", name="Disc", shape=PartChoice(id="ellipse"))
    written = write(leaf(*SVG_ENDS, ("disc:x", 0, 30), more=(disc,)), format=FORMATS["svg"])
    assert written.error < 1e-3 and b'id="rectangle-1--own"' in written.content and b"<style" not in written.content


def test_the_same_motion_gives_the_same_bytes():
    one, two = (write(leaf(*SVG_ENDS), format=FORMATS["svg"]) for _ in range(2))
    assert one.content == two.content


# --- glTF

GLTF_ENDS = (
    ("frond:turn_z", 30, 80),
    ("frond:shape_0", 0.25, 1),
    ("pot:y", 2, 4),
    ("leaf-green:colour", "#bc0000", "#00ff80"),
    ("leaf-green:cutoff", 0.3, 0.9),
    ("leaf-green:emission_strength", 4, 9),
    ("leaf-green:base_across", 0.1, 0.8),
    ("leaf-green:base_turn", 90, 180),
    ("camera-1:field_of_view", 57, 80),
    ("glow-2:intensity", 7, 20),
    ("glow-2:outer_cone", 30, 60),
)


def test_a_glb_comes_back_with_one_animation_more_and_otherwise_as_it_was():
    written = write(fern(*GLTF_ENDS), format=FORMATS["gltf"])
    assert written.error < 1e-5 and written.n_curves == len(GLTF_ENDS)
    before, after = read_gltf(GLB).json, read_gltf(written.content).json
    added = after["animations"].pop()
    assert len(added["channels"]) == 11
    assert after.pop("extensionsUsed") == [*before.pop("extensionsUsed"), "KHR_animation_pointer"]
    for name in ("accessors", "bufferViews"):
        assert after[name][: len(before[name])] == before[name]
        after[name] = before[name]
    after["buffers"] = before["buffers"]
    assert after == before
    assert read_gltf(written.content).binary.startswith(read_gltf(GLB).binary)
    core = [channel["target"]["path"] for channel in added["channels"] if "node" in channel["target"]]
    assert core == ["translation", "rotation", "weights"]
    others = [channel["target"]["extensions"] for channel in added["channels"] if "node" not in channel["target"]]
    pointers = [extensions["KHR_animation_pointer"]["pointer"] for extensions in others]
    assert "/materials/0/pbrMetallicRoughness/baseColorTexture/extensions/KHR_texture_transform/offset" in pointers
    assert "/extensions/KHR_lights_punctual/lights/0/spot/outerConeAngle" in pointers


def test_only_what_was_chosen_goes_in():
    bench = potting_bench()
    hand_off = HandOff("B", bench, curves_of(bench, ("cloche-1:scale_y", 1, 2)), RATE, FRAMES)
    spec = FORMATS["gltf"]
    few = spec.params(cameras=False, lights=False, still=False)
    made = read_gltf(write(hand_off, format=spec, params=few).content).json
    assert [node["name"] for node in made["nodes"]] == ["Cloches", "Cloche 1"]
    assert "cameras" not in made and "KHR_lights_punctual" not in json.dumps(made)
    assert len(read_gltf(write(hand_off, format=spec).content).json["cameras"]) == 1


def test_an_anchor_stays_where_it_is_while_the_part_turns_and_grows():
    anchor = Anchor(x=0.2, y=0.9, z=-0.1, word="point")

    ends = (("frond:turn_z", 30, 80), ("frond:scale_y", 2, 3), ("frond:turn_x", 0, 25))
    hand_off = fern(*ends, change=lambda scene: with_part(scene, "frond", anchor=anchor))
    written = write(hand_off, format=FORMATS["gltf"])
    gltf = read_gltf(written.content)
    animation = gltf.json["animations"][-1]
    rows = {
        channel["target"]["path"]: values_of(gltf, animation["samplers"][channel["sampler"]]["output"]).astype(float).T
        for channel in animation["channels"]
    }
    point = np.array([0.2, 0.9, -0.1])[:, None]
    where = rows["translation"] + np.einsum("ijn,jn->in", matrices(rows["rotation"]), rows["scale"] * point)
    np.testing.assert_allclose(where - where[:, :1], 0, atol=1e-6)
    assert np.ptp(rows["translation"], axis=1).max() > 0.1 and written.error < 1e-5


@pytest.mark.parametrize("way", Interpolation)
def test_keys_are_written_as_the_specification_has_them(way):
    params = FORMATS["gltf"].params(interpolation=way, error_percent=1)
    gltf = read_gltf(write(fern(*GLTF_ENDS), format=FORMATS["gltf"], params=params).content)
    animation = gltf.json["animations"][-1]
    for channel in animation["channels"]:
        sampler = animation["samplers"][channel["sampler"]]
        times, values = (values_of(gltf, sampler[name]) for name in ("input", "output"))
        accessor = gltf.json["accessors"][sampler["input"]]
        assert accessor["min"] == [float(times.min())] and accessor["max"] == [float(times.max())]
        per_key = (3 if way is Interpolation.CUBIC else 1) * (2 if channel["target"]["path"] == "weights" else 1)
        assert len(values) == per_key * len(times) and (np.diff(times) > 0).all()
        assert sampler["interpolation"] == {"linear": "LINEAR", "step": "STEP", "cubic": "CUBICSPLINE"}[way]
    np.testing.assert_allclose(times[-1], RATE.duration_s(FRAMES), rtol=1e-6)  # the last frame has its time


# --- JSON


@pytest.mark.parametrize("params", [{}, {"error_percent": 1}, {"interpolation": "cubic", "error_percent": 1}])
def test_json_curves_are_what_the_published_schema_says(params, request):
    spec = FORMATS["json"]
    written = write(fern(*GLTF_ENDS), format=spec, params=spec.params(**params))
    plain = json.loads(written.content)
    Draft202012Validator(schema()).validate(plain)
    assert plain["rate"] == {"numerator": 30000, "denominator": 1001} and plain["frames"] == FRAMES
    published = request.config.rootpath / "docs/curves.schema.json"
    assert json.loads(published.read_text()) == schema()


# --- keys

ROWS = arrays(np.float64, st.tuples(st.integers(1, 3), st.integers(1, 120)), elements=st.floats(-100, 100))


@pytest.mark.parametrize("way", Interpolation)
@given(rows=ROWS, tolerance=st.floats(0, 20))
def test_thinned_keys_lie_on_the_curve_and_what_is_between_stays_within_the_tolerance(way, rows, tolerance):
    rows.setflags(write=False)
    keys = thin(rows, tolerance=tolerance, interpolation=way)
    n = rows.shape[1]
    assert keys.frames[0] == 0 and keys.frames[-1] == n - 1 and (np.diff(keys.frames) > 0).all()
    np.testing.assert_array_equal(keys.values, rows[:, keys.frames])
    apart = np.abs(keys.dense(n) - rows).max()
    assert apart <= tolerance + 1e-9 and keys.error == pytest.approx(apart, abs=1e-12)


def test_cubic_keys_need_far_fewer_than_straight_ones_on_a_smooth_curve():
    wave = np.sin(np.arange(600) / 20)
    straight, cubic = (
        len(thin(wave, tolerance=0.002, interpolation=way).frames)
        for way in (Interpolation.LINEAR, Interpolation.CUBIC)
    )
    assert cubic * 2 < straight


def test_step_keys_hold():
    keys = thin(np.array([0.0, 0.0, 1.0, 1.0, 1.0, 0.0]), tolerance=0.1, interpolation=Interpolation.STEP)
    assert keys.frames.tolist() == [0, 2, 5] and keys.dense(6).tolist() == [0, 0, 1, 1, 1, 0]


def bench(*ends):
    scene = potting_bench()
    return HandOff("Bench", scene, curves_of(scene, *ends), RATE, FRAMES)


def test_cameras_and_lights_stay_behind_with_what_moves_them():
    camera, lamp = ("camera:field_of_view", 30, 40), ("cloche-1:scale_y", 1, 2)
    spec = FORMATS["gltf"]
    whole, without = (write(bench(camera, lamp), format=spec, params=spec.params(cameras=on)) for on in (True, False))
    assert (whole.n_curves, without.n_curves) == (2, 1)
    there, gone = (read_gltf(made.content).json for made in (whole, without))
    assert len(there["cameras"]) == 1 and "cameras" not in gone
    assert len(there["animations"][0]["channels"]) == 2 and len(gone["animations"][0]["channels"]) == 1


@pytest.mark.parametrize(
    ("end", "left_out"), [(("camera:x", 0, 1), {"cameras": False}), (("sun:intensity", 0, 4), {"lights": False})]
)
def test_leaving_out_all_that_moves_is_said_and_nothing_is_written(end, left_out):
    scene = empty_scene("3d")
    hand_off = HandOff("New", scene, curves_of(scene, end), RATE, FRAMES)
    with pytest.raises(FernTideError, match="All that moves is left out"):
        write(hand_off, format=FORMATS["gltf"], params=FORMATS["gltf"].params(**left_out))


@pytest.mark.parametrize("light", [{}, {"strength": 2.0, "turn_degrees": 90.0}, {"on": False}])
def test_the_studio_light_goes_in_where_it_is_asked_for(light):
    spec, hand_off = FORMATS["gltf"], bench(("lamp-bulb:scale_x", 1, 2))
    lit = replace(hand_off, scene=hand_off.scene.but(studio_light=StudioLight(**light)))
    written = write(lit, format=spec, params=spec.params(studio=True))
    assert written.error < 1e-5
    document, plain = (read_gltf(item.content).json for item in (written, write(lit, format=spec)))
    lamps = [item for item in lights(document) if item["name"].startswith("Studio")]
    assert not any(item["name"].startswith("Studio") for item in lights(plain)), "not unless it is asked for"
    if light.get("on") is False:
        assert document == plain
        return
    assert [item["type"] for item in lamps] == ["directional"] * 3
    assert [item["intensity"] for item in lamps] == [lux * light.get("strength", 0.5) for lux in (3.7, 1.65, 1.65)]
    nodes = document["nodes"]
    (above,) = (node for node in nodes if node["name"] == "Studio light")
    assert nodes.index(above) in document["scenes"][0]["nodes"]
    turn = light.get("turn_degrees", 0.0)
    for child, source in zip(above["children"], [(1.2, 2.5, 5), (-4, 2, 3), (0, 3, -4)], strict=True):
        x, y, z, w = nodes[child]["rotation"]
        # -z turned by the quaternion, by hand: minus the third column of its matrix
        ahead = -np.array([2 * (x * z + w * y), 2 * (y * z - w * x), 1 - 2 * (x * x + y * y)])
        assert ahead == pytest.approx(-np.array(source) / np.linalg.norm(source), abs=1e-9)
    _, y, _, w = above["rotation"]
    assert 2 * np.degrees(np.arctan2(y, w)) == pytest.approx(turn)


@pytest.mark.parametrize("still", [True, False])
def test_parts_that_do_not_move_can_stay_behind_but_not_what_moving_ones_lie_in(still):
    spec = FORMATS["gltf"]
    made = read_gltf(write(bench(("lamp-bulb:scale_x", 1, 2)), format=spec, params=spec.params(still=still)).content)
    names = {node["name"] for node in made.json["nodes"]}
    assert {"Lamp", "Lamp bulb"} <= names and ("Cloche 1" in names) is still


@pytest.mark.parametrize("format_id", ["gltf", "json", "csv"])
def test_the_same_document_gives_the_same_bytes(format_id):
    first, second = (
        write(bench(("cloche-1:scale_y", 1, 2), ("mist:opacity", 0, 1)), format=FORMATS[format_id]) for _ in range(2)
    )
    assert first.content == second.content and first.error <= 1e-5

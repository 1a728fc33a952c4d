"""What is handed off, opened by programs of others: the Khronos validator and three.js, in Node."""

import json
import subprocess
from pathlib import Path

import numpy as np
import pytest
from tests.core.formats.hand_offs import FRAMES, RATE, curves_of, fern
from tests.core.formats.test_scenes_go_home import GLTF_ENDS
from tests.gltf import GLB

from fern_tide.core.bake.bake import stack_of
from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.expand import Clock, Moved, expanded
from fern_tide.core.bake.pieces import ArrayMotion, piece_values
from fern_tide.core.bake.thin import Interpolation
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.colour import to_linear
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.gltf.build import build
from fern_tide.core.scene.scene import PART_KINDS, Part, PartChoice, Scene
from fern_tide.demo.bench_scene import potting_bench

NODE = Path(__file__).parents[1] / "node"
SPEC = FORMATS["gltf"]
TWENTY = np.linspace(0, FRAMES - 1, 20).round().astype(int)


def node(*words):
    done = subprocess.run(["node", *map(str, words)], capture_output=True, text=True, check=True, timeout=120)
    return json.loads(done.stdout.splitlines()[-1])


def every_kind():
    """A scene of every kind of part that is made here."""
    kinds = [
        kind for kind in PART_KINDS.values() if kind.space == "3d" and kind.offered and kind.looks and not kind.pieces
    ]
    return Scene(
        name="All",
        kind="3d",
        parts=tuple(Part(id=kind.id, name=kind.label, shape=PartChoice(id=kind.id)) for kind in kinds),
    )


def test_the_khronos_validator_finds_no_errors(tmp_path):
    (tmp_path / "before.glb").write_bytes(GLB)
    made = {}
    for way in Interpolation:
        params = SPEC.params(interpolation=way, error_percent=1)
        made[f"fern {way}"] = write(fern(*GLTF_ENDS), format=SPEC, params=params)
    bench = potting_bench()
    ends = (("cloche-1:scale_y", 1, 2), ("mist:opacity", 0.1, 0.5), ("lamp:turn_z", -10, 10))
    made["bench"] = write(HandOff("B", bench, curves_of(bench, *ends), RATE, FRAMES), format=SPEC)
    scene = every_kind()
    ends = tuple(
        (f"{part.id}:{item.id}", *item.suggest_ends(part.own(item.id)))
        for part in scene.parts
        for item in part.properties
        if item.id not in {"inner_cone", "outer_cone"}
    )
    made["every kind"] = write(HandOff("A", scene, curves_of(scene, *ends), RATE, FRAMES), format=SPEC)
    files = [tmp_path / "before.glb"]
    for name, written in made.items():
        files.append(tmp_path / f"{name}.glb")
        files[-1].write_bytes(written.content)
    assert [report["messages"] for report in node(NODE / "validate.cjs", *files)] == [[] for _ in files]


@pytest.mark.parametrize("way", [Interpolation.LINEAR, Interpolation.CUBIC])
def test_three_js_finds_the_baked_values_at_twenty_times(tmp_path, way):
    """A model of others with morph targets: places and weights by core channels, all else by pointers."""
    hand_off = fern(*GLTF_ENDS)
    curve = {str(curve.target): curve.values for curve in hand_off.curves}
    params = SPEC.params(interpolation=way, error_percent=0.0 if way is Interpolation.LINEAR else 0.2)
    file = tmp_path / "fern.glb"
    file.write_bytes(write(hand_off, format=SPEC, params=params).content)
    seconds = [float(RATE.seconds(int(frame))) for frame in TWENTY]
    wanted = {
        "pot:y": ["node", 0, "position.y"],
        "frond:shape_0": ["node", 1, "morphTargetInfluences.0"],
        "turn": ["node", 1, "quaternion"],
        "leaf-green:cutoff": ["material", 0, "alphaTest"],
        "leaf-green:emission_strength": ["material", 0, "emissiveIntensity"],
        "leaf-green:base_across": ["material", 0, "map.offset.x"],
        "colour": ["material", 0, "color"],
        "camera-1:field_of_view": ["camera", 0, "fov"],
        "glow-2:intensity": ["light", 0, "intensity"],
        "angle": ["light", 0, "angle"],
    }
    if way is Interpolation.CUBIC:  # the reader of pointers that is used here takes cubic keys for straight ones
        wanted = {name: place for name, place in wanted.items() if place[0] == "node"}
    sampled = node(NODE / "sample.mjs", file, json.dumps(seconds), json.dumps(wanted))
    found = {name: np.array(rows) for name, rows in sampled.items()}
    loose = 1e-5 if way is Interpolation.LINEAR else 3e-3
    for name, values in curve.items():
        if name in found:
            np.testing.assert_allclose(found[name], values[TWENTY], atol=loose * np.ptp(values), err_msg=name)
    turns = np.degrees(2 * np.arctan2(found["turn"][:, 2], found["turn"][:, 3]))
    np.testing.assert_allclose(turns, curve["frond:turn_z"][TWENTY], atol=50 * loose)
    if way is Interpolation.CUBIC:
        return
    np.testing.assert_allclose(np.degrees(found["angle"]), curve["glow-2:outer_cone"][TWENTY], atol=30 * loose)
    np.testing.assert_allclose(found["colour"], to_linear(curve["leaf-green:colour"][:, TWENTY]).T, atol=loose)
    assert len([name for name in curve if name in found]) == 7


def test_the_pieces_of_an_array_are_where_python_has_them_in_three_js(tmp_path):
    """A ring of 24 about a turned bench, each piece with a row and a lateness of its own, within a moving reach."""
    bead = Part.model_validate({"id": "bead", "name": "Bead", "parent": "ring", "shape": {"id": "cone"}})
    params = {
        "layout": {"id": "ring", "params": {"count": 24}},
        "order": {"id": "outward", "params": {"middle": False, "x": 1.0}},
        "late_frames": 11.5,
        "reaches": [{"slot": 1}],
    }
    shape = {"id": "array_3d", "params": params}
    ring = Part.model_validate({"id": "ring", "name": "Ring", "values": {"turn_y": 40.0}, "shape": shape})
    scene = Scene(name="Ring", kind="3d", parts=(ring, bead))
    rows = np.random.default_rng(24).uniform(0, 1, (24, FRAMES))
    sweep = Curve(Target(part="ring", property="reach1_x"), "Ring", "", "m", "number", np.linspace(-1, 1, FRAMES))
    moved, ends = {}, {"piece_y": (0.0, 1.0), "piece_scale_y": (1.0, 3.0)}
    for name, (rest, full) in ends.items():
        target = Target(part="ring", property=name)
        drive = {"target": str(target), "rest": rest, "full": full}
        marks = {"low": 0.0, "high": 1.0}
        plain = {"id": name, "name": name, "envelope": "low", "marks": marks, "spread": True, "drives": [drive]}
        mapping = Mapping.model_validate(plain)
        moved[target] = Moved(stack_of(scene, target, [(mapping, mapping.drives[0])]), [rows])
    leads = [one.stack.curve(np.zeros(FRAMES)) for one in moved.values()]
    out, curves = expanded(scene, (*leads, sweep), moved=moved, clock=Clock(RATE, FRAMES))
    file = tmp_path / "ring.glb"
    file.write_bytes(write(HandOff("Ring", out, curves, RATE, FRAMES), format=SPEC).content)
    assert node(NODE / "validate.cjs", file)[0]["messages"] == []
    motion = ArrayMotion(ring, 1, {"reach1_x": sweep.values}, RATE, FRAMES)
    values = {target.property: piece_values(motion, one.stack, one.lifts) for target, one in moved.items()}
    seconds = [float(RATE.seconds(int(frame))) for frame in TWENTY]
    places = build(out, files={}).places
    groups = [part.id for part in out.parts if part.name.endswith(", moving")]
    assert len(groups) == 24
    wanted = {
        f"{at} {what}": ["node", places[name]["node"], what]
        for at, name in enumerate(groups)
        for what in ("position", "scale")
    }
    sampled = node(NODE / "sample.mjs", file, json.dumps(seconds), json.dumps(wanted))
    found = {name: np.array(rows_of) for name, rows_of in sampled.items()}
    for piece in range(24):
        np.testing.assert_allclose(found[f"{piece} position"][:, 1], values["piece_y"][piece, TWENTY], atol=1e-5)
        np.testing.assert_allclose(found[f"{piece} scale"][:, 1], values["piece_scale_y"][piece, TWENTY], atol=2e-5)
    assert np.ptp(values["piece_y"]) > 0.5

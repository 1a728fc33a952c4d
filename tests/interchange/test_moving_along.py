"""Parts that move along ways and take other shapes, as three.js and the Khronos validator find them."""

import json

import numpy as np
from tests.core.scene.test_rides import space
from tests.core.scene.test_shapers import part as rod_of
from tests.interchange.test_other_programs import NODE, SPEC, node

from fern_tide.core.bake.bake import bake
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.course import course_of
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.core.scene.shaping import seen_of

FRAMES = 60
RATE = FrameRate.parse("24")


def test_three_js_finds_a_part_on_its_way_facing_ahead_through_a_turned_group(tmp_path):
    scene = space({"leans": 20}, values={"scale_x": 2.0}, anchor={"x": 0.3, "y": 0.1})
    values = {"x": 3.0, "turn_y": 40.0, "scale_x": 1.5, "scale_y": 1.5, "scale_z": 1.5}
    cart = Part.model_validate({"id": "cart", "name": "Cart", "values": values, "shape": {"id": "group_3d"}})
    ring, moth = scene.parts
    scene = scene.but(parts=(ring, cart, moth.but(parent="cart")))
    drives = [{"target": "moth:along", "rest": 0, "full": 1}, {"target": "moth:beside", "rest": 0, "full": 0.2}]
    mapping = Mapping.model_validate(
        {"id": "m", "name": "M", "envelope": "e", "marks": {"low": 0, "high": 1}, "drives": drives}
    )
    lift = np.linspace(0, 1, FRAMES)
    curves = bake(scene, [mapping], lifts={"m": lift}, n_frames=FRAMES)
    assert {curve.target.property for curve in curves if curve.target.part == "moth"} >= {"x", "y", "z", "turn_x"}
    file = tmp_path / "moth.glb"
    written = write(HandOff("M", scene.at_rest, curves, RATE, FRAMES), format=SPEC)
    assert written.error < 1e-4 and written.n_curves == 6  # single precision, of a turn of a few degrees
    file.write_bytes(written.content)
    (report,) = node(NODE / "validate.cjs", file)
    assert report["messages"] == []
    length = int.from_bytes(written.content[12:16], "little")
    names = [item.get("name") for item in json.loads(written.content[20 : 20 + length])["nodes"]]
    seconds = [frame / 24 for frame in range(FRAMES)]
    asked = {"at": ["node", names.index("Moth"), "position"], "turn": ["node", names.index("Moth"), "quaternion"]}
    found = node(NODE / "sample.mjs", file, json.dumps(seconds), json.dumps(asked))
    at, turn = np.array(found["at"]).T, np.array(found["turn"]).T
    x, y, z, w = turn
    ahead = np.array([2 * (x * z + y * w), 2 * (y * z - x * w), 1 - 2 * (x * x + y * y)])
    right = -np.array([1 - 2 * (y * y + z * z), 2 * (x * y + z * w), 2 * (x * z - y * w)])
    part = scene.part("moth")
    course = course_of(scene, part, part.ride)
    on_way = course.line.points(lift)
    np.testing.assert_allclose(ahead, course.line.tangents(lift), atol=1e-5)
    flat = np.cross(course.line.tangents(lift), course.line.ups(lift, course.line.tangents(lift)), axis=0)
    own_anchor = np.array([0.6, 0.1, 0.0])
    left, up = -right, np.cross(ahead, -right, axis=0)
    anchored = at + left * own_anchor[0] + up * own_anchor[1]
    np.testing.assert_allclose(anchored, on_way + flat * 0.2 * lift, atol=1e-5)
    c, s = np.cos(np.radians(40.0)), np.sin(np.radians(40.0))
    world = 1.5 * np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]]) @ on_way + [[3.0], [0], [0]]
    np.testing.assert_allclose(np.hypot(world[0], world[2]), 1, atol=1e-3)  # the ring lies outside the group


def test_three_js_shapes_a_solid_as_its_shapers_say(tmp_path):
    rod = rod_of({"id": "bend", "params": {"most": 40}}, {"id": "ripple"}, values={"shaper2_amount": 0.05})
    scene = Scene(name="S", kind="3d", parts=(rod,))
    ends = {"shaper1_amount": 37, "shaper2_phase": 720}
    drives = [{"target": f"rod:{name}", "rest": 0, "full": full} for name, full in ends.items()]
    marks = {"low": 0, "high": 1}
    mapping = Mapping.model_validate({"id": "m", "name": "M", "envelope": "e", "marks": marks, "drives": drives})
    lift = np.linspace(0, 1, FRAMES)
    curves = bake(scene, [mapping], lifts={"m": lift}, n_frames=FRAMES)
    written = write(HandOff("R", scene, curves, RATE, FRAMES), format=SPEC)
    file = tmp_path / "rod.glb"
    file.write_bytes(written.content)
    (report,) = node(NODE / "validate.cjs", file)
    assert report["messages"] == []
    seconds = [frame / 24 for frame in range(FRAMES)]
    asked = {"seen": ["node", 0, "morphTargetInfluences"]}
    found = node(NODE / "sample.mjs", file, json.dumps(seconds), json.dumps(asked))
    values = {"shaper1_amount": 37 * lift, "shaper2_phase": 720 * lift, "shaper2_amount": np.full(FRAMES, 0.05)}
    np.testing.assert_allclose(np.array(found["seen"]).T, seen_of(rod.shapers, values), atol=1e-5)

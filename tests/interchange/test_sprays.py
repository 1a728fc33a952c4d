"""Drops of a spray as three.js and Chromium's own clock find them in what is written."""

import json

import numpy as np
import pytest
from tests.core.scene.test_sprays import by_hand
from tests.interchange.test_other_programs import NODE, SPEC, node

from fern_tide.core.bake.bake import bake
from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.expand import Clock, expanded
from fern_tide.core.bake.expand_size import check_size
from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.colour import mix_all, parse_colour
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.scene import Part, Scene

FRAMES = 48
RATE = FrameRate.parse("24")
LIFT = np.clip(np.linspace(-0.5, 1, FRAMES), 0, 1)


def spray_of(kind, drop, values, **params):
    layout = {"id": "spray", "params": {"count": 12, "last_size": 0.4, **params}}
    parts = (
        {"id": "jet", "name": "Jet", "values": values, "shape": {"id": kind, "params": {"layout": layout}}},
        {"id": "drop", "name": "Drop", "parent": "jet", **drop},
    )
    space = "3d" if kind.endswith("3d") else "2d"
    return Scene(name="S", kind=space, parts=tuple(Part.model_validate(part) for part in parts))


def written_out(scene, drives):
    mapping = Mapping.model_validate(
        {"id": "m", "name": "M", "envelope": "e", "marks": {"low": 0, "high": 1}, "drives": drives}
    )
    curves = bake(scene, [mapping], lifts={"m": LIFT}, n_frames=FRAMES)
    return expanded(scene, curves, moved={}, clock=Clock(RATE, FRAMES))


def test_three_js_finds_every_drop_where_the_closed_form_has_it(tmp_path):
    values = {"y": 1.0, "turn_z": 30.0, "rate": 6.0, "life": 1.4, "from_x": 0.5, "width": 50.0}
    drop = {"shape": {"id": "sphere", "params": {"radius": 0.02}}, "anchor": {"y": 0.02, "word": "middle"}}
    scene = spray_of("array_3d", drop, values)
    plain, curves = written_out(scene, [{"target": "jet:force", "rest": 2, "full": 6}])
    written = write(HandOff("J", plain, curves, RATE, FRAMES), format=SPEC)
    assert written.error < 1e-5
    file = tmp_path / "jet.glb"
    file.write_bytes(written.content)
    (report,) = node(NODE / "validate.cjs", file)
    assert report["messages"] == []
    length = int.from_bytes(written.content[12:16], "little")
    names = [item.get("name") for item in json.loads(written.content[20 : 20 + length])["nodes"]]
    asked = {
        f"{what}{piece}": ["node", names.index(f"Jet {piece + 1}"), name]
        for piece in range(12)
        for what, name in (("at", "position"), ("size", "scale"))
    }
    seen = node(NODE / "sample.mjs", file, json.dumps([frame / 24 for frame in range(FRAMES)]), json.dumps(asked))
    jet = scene.part("jet")
    spray = jet.shape.params.layout.spec.throws(jet.shape.params.layout.params, flat=False)
    own = {size.id: float(jet.own(size.id)) for size in jet.shape.params.layout.spec.sizes}
    checked = 0
    for drop_number in range(1, 12):
        left = drop_number / 6
        force = float(np.interp(left * 24, np.arange(FRAMES), 2 + 4 * LIFT))
        for frame in range(FRAMES):
            age = frame / 24 - left
            if not 0 <= age < 1.4 - 1e-9:
                continue
            size = 1 - 0.6 * age / 1.4
            place = by_hand(spray, {**own, "force": force}, drop_number, age)
            shown = np.array(seen[f"at{drop_number - 1}"][frame])
            anchor = np.array([0, 0.02, 0])  # a node is moved so that its anchor stays where it is
            np.testing.assert_allclose(shown + size * anchor, place + anchor, atol=1e-5)
            np.testing.assert_allclose(seen[f"size{drop_number - 1}"][frame], size, atol=1e-5)
            checked += 1
    assert checked > 200


@pytest.mark.parametrize("name", ["svg", "csv", "json"])
def test_drops_are_read_back_from_every_format_of_a_drawing(name):
    drop = {"shape": {"id": "ellipse", "params": {"rx": 4, "ry": 6}}, "values": {"fill": "#8ecae6"}}
    scene = spray_of("array", drop, {"x": 300, "y": 500, "rate": 9.0}, nozzle={"id": "line"})
    plain, curves = written_out(scene, [{"target": "jet:force", "rest": 200, "full": 700}])
    assert len(curves) == 12 * 4 and {curve.target.part for curve in curves} <= {part.id for part in plain.parts}
    written = write(HandOff("J", plain, curves, RATE, FRAMES), format=FORMATS[name])
    assert written.error < 1e-3 and written.n_curves == 48


def test_drops_change_colour_over_their_lives():
    drop = {"shape": {"id": "ellipse", "params": {"rx": 4, "ry": 6}}}
    values = {"rate": 9.0, "piece_colour": "#ff0000", "piece_last_colour": "#0000ff", "life": 1.0}
    scene = spray_of("array", drop, {})
    jet = scene.part("jet")
    params = jet.shape.params.but(coloured=True, backwards=True)
    jet = jet.but(shape=jet.shape.but(params=params), values=values)
    scene = scene.but(parts=(jet, scene.part("drop")))
    _, curves = written_out(scene, [{"target": "jet:force", "rest": 200, "full": 700}])
    fills = [curve.values for curve in curves if curve.target.property == "fill"]
    assert len(fills) == 12
    # drop 3 leaves at a third of a second, frame 8; it is red then, and nearly blue a life later
    third = fills[2]
    np.testing.assert_allclose(third[:, 8], [1, 0, 0], atol=1e-6)
    ends = [parse_colour(text)[:, None] for text in ("#ff0000", "#0000ff")]
    np.testing.assert_allclose(third[:, [20]], mix_all(*ends, share=np.array([0.5])), atol=1e-6)


def test_a_spray_that_would_be_millions_of_values_is_refused_before_it_is_written():
    drop = {"shape": {"id": "ellipse", "params": {"rx": 4, "ry": 6}}}
    scene = spray_of("array", drop, {}, count=6000)
    curve = np.zeros(1000)
    target = {"target": Target(part="jet", property="x"), "part_name": "Jet", "label": "Across", "unit": "px"}
    with pytest.raises(FernTideError, match="36,000,000 values"):
        check_size(scene, [Curve(**target, kind="number", values=curve)])

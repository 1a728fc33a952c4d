"""Thrown pieces as the page has them, against Python's own, for every nozzle, in 2D and 3D."""

import numpy as np
import pytest
from tests.node.test_pieces import FRAMES, RATE, Plain

from fern_tide.core.bake.pieces import ArrayMotion
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.core.live.sprays import LiveSpray
from fern_tide.core.scene.arrays.layout import completed
from fern_tide.core.scene.arrays.layouts.spray import NOZZLES
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.web.views.arrays import field_head

RNG = np.random.default_rng(61)


def single(values):
    return np.asarray(values, dtype=np.float32).astype(np.float64)


def nozzle_of(name):
    return {"id": name, "params": {"part": "star"} if "part" in NOZZLES[name].params.model_fields else {}}


def spray(space, nozzle, **params):
    layout = {"id": "spray", "params": {"count": 25, "nozzle": nozzle_of(nozzle), "last_size": 0.25, **params}}
    shape = {"id": "array_3d" if space == "3d" else "array", "params": {"layout": layout}}
    return Part.model_validate({"id": "row", "name": "Row", "shape": shape})


@pytest.mark.parametrize("space", ["2d", "3d"])
@pytest.mark.parametrize("nozzle", NOZZLES)
def test_drops_fly_on_the_page_where_python_has_them(modules, space, nozzle):
    part = spray(space, nozzle, before_s=0.5)
    star = {"id": "star", "name": "Star", "shape": {"id": "box" if space == "3d" else "star"}}
    parts = (Part.model_validate(star), part)
    project = Project(name="p", rate=RATE, length_frames=FRAMES, scene=Scene(name="s", kind=space, parts=parts))
    part = completed(project.scene, part)
    names = [size.id for size in part.shape.params.layout.spec.sizes_of(space)]
    curves = {name: single(RNG.uniform(0.2, 1.5, FRAMES)) for name in names if name != "gravity"}
    curves["rate"] = single(np.concatenate([RNG.uniform(5, 60, 20), np.zeros(15), RNG.uniform(0, 30, FRAMES - 35)]))
    curves |= {name: single(RNG.uniform(-90, 90, FRAMES)) for name in ("aim_x", "aim_z", "width") if name in names}
    motion = ArrayMotion(part, 1, curves, RATE, FRAMES)
    python = motion.flights(np.arange(25))
    thrown = field_head(Plain(), project, part)["thrown"]
    thrown["kinds"] = [row[:400] for row in thrown["kinds"]]  # there are no more drops: a Node call carries all of it
    driven = {name: curves[name].tolist() if name in curves else float(part.own(name)) for name in names}
    assert thrown["names"] == names
    for frame in range(0, FRAMES, 3):
        page = modules("throw", "flightsOf", thrown, frame, driven)
        places = np.reshape(page["places"], (-1, 3))
        scale = max(1.0, np.abs(python.places[..., frame]).max())
        np.testing.assert_allclose(places, python.places[..., frame].T, atol=2e-5 * scale)
        np.testing.assert_allclose(page["sizes"], python.sizes[:, frame], atol=1e-5)
        np.testing.assert_allclose(page["ages"], python.ages[:, frame], atol=1e-5)


def test_a_steady_rate_is_a_number_and_a_driven_one_a_row(modules):
    assert modules("throw", "valueAt", 4.5, 100.25) == 4.5
    assert [modules("throw", "valueAt", [0, 10, 30], at) for at in (-1, 0, 0.5, 1.5, 2, 9)] == [0, 0, 5, 20, 30, 30]
    told = {"frames": 4, "fps": 2, "before": 3}
    assert modules("throw", "reachedBy", 10, told)["reached"] == [30, 35, 40, 45]
    row = modules("throw", "reachedBy", [-5, 4, 8, 2e9], {**told, "before": 0})["reached"]
    assert row == [0, 1, 4, 4 + (8 + 100_000) / 4]


def test_a_drop_leaves_where_a_rising_rate_has_reached_it(modules):
    rate, clock = [0, 6, 6], {"frames": 3, "fps": 1, "before": 0}
    times = {drop: modules("throw", "leavingAt", rate, clock, drop) for drop in (1, 3, 6)}
    assert times == pytest.approx({1: np.sqrt(1 / 3), 3: 1.0, 6: 1.5})  # 3 s^2 = 1; then six a second


def test_live_a_drop_flies_on_from_the_last_frames_as_it_does_in_the_whole(modules):
    """The page knows the last 40 frames, longer than any drop flies, and how many drops left before them."""
    part = spray("2d", "point", before_s=0.5)
    part = part.but(values={**part.values, "life": 1.2})
    project = Project(name="p", rate=RATE, length_frames=FRAMES, scene=Scene(name="s", kind="2d", parts=(part,)))
    rate = single(np.concatenate([RNG.uniform(5, 30, 30), np.zeros(10), RNG.uniform(2, 20, FRAMES - 40)]))
    python = ArrayMotion(part, 1, {"rate": rate}, RATE, FRAMES).flights(np.arange(25))
    names = [size.id for size in part.shape.params.layout.spec.sizes_of("2d")]
    thrown = field_head(Plain(), project, part)["thrown"]
    thrown["kinds"] = [row[:400] for row in thrown["kinds"]]
    live, target, remembered = LiveSpray(part, rate=RATE), Target.parse("row:rate"), 40
    seen, before = 0, -1
    for frame in [0, 1, 7, 20, 21, 50, FRAMES - 1]:
        window = rate[np.clip(np.arange(frame - remembered + 1, frame + 1), 0, None)]
        base = live.left({target: window}, frames=remembered, more=frame - before)
        before = frame
        driven = {name: window.tolist() if name == "rate" else float(part.own(name)) for name in names}
        page = modules("throw", "flightsOf", {**thrown, "frames": remembered, "base": base}, remembered - 1, driven)
        flying = python.sizes[:, frame] > 0
        seen += int(flying.sum())
        np.testing.assert_allclose(page["sizes"], python.sizes[:, frame], atol=1e-4)
        np.testing.assert_allclose(
            np.reshape(page["places"], (-1, 3))[flying], python.places[..., frame].T[flying], rtol=1e-4, atol=0.05
        )
    assert seen > 40

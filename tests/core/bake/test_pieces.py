"""The values of pieces: worked out by hand, and against the formula written down once more, frame by frame."""

import numpy as np
import pytest

from fern_tide.core.bake.bake import stack_of
from fern_tide.core.bake.pieces import ArrayMotion, piece_values
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.colour import parse_colour
from fern_tide.core.mapping.drive import RESPONSES
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.follow import Limit
from fern_tide.core.scene.scene import Part, Scene

RATE = FrameRate.parse("25")
LINE = {"layout": {"id": "line", "params": {"count": 3}}, "order": {"id": "x"}}


def mapping(name, drive, *, spread=False):
    return Mapping.model_validate(
        {
            "id": name,
            "name": name,
            "envelope": "low",
            "marks": {"low": 0.0, "high": 1.0},
            "spread": spread,
            "drives": [{"rest": 0.0, "full": 1.0, "target": "row:piece_y", **drive}],
        }
    )


def baked(params, lifts, *drives, name="piece_y", limit=None, curves=None, values=None, n_sources=1, which=None):
    part = Part.model_validate(
        {"id": "row", "name": "Row", "values": values or {}, "shape": {"id": "array_3d", "params": params}}
    )
    scene = Scene(name="s", kind="3d", parts=(part,), limits=(limit,) if limit else ())
    drives = drives or ({},)
    many = [mapping(f"m{at}", drive, spread=np.ndim(lifts[at]) == 2) for at, drive in enumerate(drives)]
    stack = stack_of(scene, Target(part="row", property=name), [(item, item.drives[0]) for item in many])
    lifts = [np.array(lift, dtype=float) for lift in lifts]
    motion = ArrayMotion(part, n_sources, curves or {}, RATE, lifts[0].shape[-1] if lifts else 4)
    return piece_values(motion, stack, lifts, which=which)


def test_each_piece_follows_its_row_and_what_lies_between():
    rows = [[0, 0.2, 1.0], [1, 0.6, 0.0]]
    assert baked(LINE, [rows]).tolist() == [[0, 0.2, 1.0], [0.5, pytest.approx(0.4), 0.5], [1, 0.6, 0.0]]
    nearest = baked({**LINE, "rows": "nearest"}, [rows])
    assert nearest.tolist() == [rows[0], rows[1], rows[1]]  # a half goes up


def test_more_rows_than_pieces_and_one_piece_alone():
    rows = np.arange(5.0)[:, None] * np.ones(4) / 4
    assert baked(LINE, [rows])[:, 0].tolist() == [0, 0.5, 1]
    one = {**LINE, "layout": {"id": "line", "params": {"count": 1}}}
    assert baked(one, [rows]).tolist() == [[0, 0, 0, 0]]


def test_a_late_piece_rests_until_its_moment_and_between_frames_it_is_interpolated():
    lift = [0.5, 1.0, 0.0, 0.0]
    late = baked({**LINE, "late_frames": 2}, [lift])
    assert late.tolist() == [[0.5, 1, 0, 0], [0, 0.5, 1, 0], [0, 0, 0.5, 1]]
    half = baked({**LINE, "late_ms": 40}, [lift])  # one frame at 25
    assert half[1].tolist() == [0.25, 0.75, 0.5, 0.0] and half[2].tolist() == [0, 0.5, 1, 0]
    early = baked({**LINE, "late_frames": -1}, [lift])
    assert early[2].tolist() == [1, 0, 0, 0]
    assert baked({**LINE, "late_frames": 9000}, [lift])[2].tolist() == [0, 0, 0, 0]
    assert baked({**LINE, "late_frames": -9000}, [[1, 0, 0, 0.25]])[2].tolist() == [0.25] * 4


def test_the_response_bends_what_a_piece_follows_not_what_the_rows_give():
    squared = {"response": {"id": "exponent", "params": {"power": 2.0}}}
    assert baked(LINE, [[[0.0], [1.0]]], squared)[:, 0].tolist() == [0, 0.25, 1]


def test_weight_difference_and_reach_scale_the_way_from_rest():
    drive = {"rest": 2.0, "full": 4.0}
    assert baked({**LINE, "first": 1, "last": 0.5}, [[1.0]], drive)[:, 0].tolist() == [4, 3.5, 3]
    ball = {"reaches": [{"slot": 1, "easing": {"id": "straight"}}]}
    values = {"reach1_x": 0.5, "reach1_inner": 0.5, "reach1_outer": 1.5}
    assert baked({**LINE, **ball}, [[1.0]], drive, values=values)[:, 0].tolist() == [3, 4, 4]  # at -0.5, 0 and 0.5
    differing = baked({**LINE, "differs": 0.5, "seed": 3}, [[1.0]], drive)[:, 0]
    drawn = np.random.Generator(np.random.PCG64(3)).uniform(-1, 1, 3)
    assert differing == pytest.approx(2 + 2 * (1 + 0.5 * drawn))


def test_a_reach_that_moves_and_a_layout_that_grows_are_met_frame_by_frame():
    sharp = {"reaches": [{"slot": 1}]}
    curves = {"reach1_x": np.array([-0.5, 0.0, 0.5])}
    values = {"reach1_inner": 0.25, "reach1_outer": 0.25}
    assert baked({**LINE, **sharp}, [[1.0] * 3], curves=curves, values=values).tolist() == np.eye(3).tolist()
    growing = {"gap": np.array([0.1, 0.2, 1.0])}
    assert baked({**LINE, **sharp}, [[1.0] * 3], curves=growing, values=values)[0].tolist() == [1, 1, 0]


def test_stacked_mappings_and_limits_hold_for_each_piece():
    low, high = [0.0, 1.0], [1.0, 1.0]
    twice = baked(
        LINE, [low, high], {"full": 3.0}, {"full": 2.0, "stacking": "add"}, limit=Limit(target="row:piece_y", high=4.0)
    )
    assert twice.tolist() == [[2, 4]] * 3
    scaled = baked(
        LINE,
        [high],
        {"target": "row:piece_scale_y", "rest": 1, "full": 2, "stacking": "multiply"},
        name="piece_scale_y",
    )
    assert scaled.tolist() == [[2, 2]] * 3


def test_nothing_driven_stands_at_its_own_value():
    part = Part.model_validate(
        {"id": "row", "name": "Row", "values": {"piece_y": 0.3}, "shape": {"id": "array_3d", "params": LINE}}
    )
    scene = Scene(name="s", kind="3d", parts=(part,))
    stack = stack_of(scene, Target(part="row", property="piece_y"), [])
    assert piece_values(ArrayMotion(part, 1, {}, RATE, 2), stack, []).tolist() == [[0.3, 0.3]] * 3


def test_colours_mix_at_each_pieces_share_and_rest_is_exact():
    drive = {"target": "row:piece_colour", "rest": "#204060", "full": "#e0c080"}
    out = baked({**LINE, "coloured": True, "first": 0, "last": 1}, [[0.0, 1.0]], drive, name="piece_colour")
    assert out.shape == (3, 3, 2)
    assert out[:, 0, 1].tolist() == out[:, 2, 0].tolist() == parse_colour("#204060").tolist()
    assert out[:, 2, 1].tolist() == parse_colour("#e0c080").tolist()
    assert (out[:, 1, 1] > out[:, 0, 1]).all() and (out[:, 1, 1] < out[:, 2, 1]).all()
    added = baked({**LINE, "coloured": True}, [[1.0, 0.0]], {**drive, "stacking": "add"}, name="piece_colour")
    assert added.shape == (3, 3, 2)


def test_values_are_the_formula_of_every_piece_and_frame():
    rng = np.random.default_rng(5)
    rows = rng.uniform(0, 1, (4, 30))
    params = {
        "layout": {"id": "ring", "params": {"count": 7}},
        "order": {"id": "shuffled"},
        "late_frames": 7.3,
        "first": 0.2,
        "last": 1.5,
        "differs": 0.3,
        "seed": 11,
        "reaches": [{"slot": 1, "easing": {"id": "straight"}}],
    }
    sweep = np.linspace(-1, 1, 30)
    drive = {"rest": 0.5, "full": -1.0, "response": {"id": "exponent", "params": {"power": 2.0}}, "late_frames": 0.5}
    out = baked(params, [rows], drive, curves={"reach1_x": sweep})
    order = np.random.Generator(np.random.PCG64(1)).permutation(7)
    drawn = np.random.Generator(np.random.PCG64(11)).uniform(-1, 1, 7)

    def lift(row, k):
        return 0.0 if k < 0 else rows[row, k]

    for i in range(7):
        p = order[i] / 6
        b = p * 3
        low = min(int(b), 3)
        late = p * 7.3 + 0.5
        whole, part = int(np.floor(late)), late - np.floor(late)
        angle = 2 * np.pi * i / 7
        for k in range(30):
            u = 0.0
            for row, share in ((low, 1 - (b - low)), (min(low + 1, 3), b - low)):
                u += share * (lift(row, k - whole) * (1 - part) + lift(row, k - whole - 1) * part)
            away = np.hypot(np.cos(angle) - sweep[k], np.sin(angle))
            reach = np.clip((1.0 - away) / 0.8, 0, 1)
            gain = (0.2 + p * 1.3) * reach * (1 + 0.3 * drawn[i])
            assert out[i, k] == pytest.approx(0.5 + gain * u**2 * -1.5, abs=1e-12)


def test_some_pieces_are_those_of_all_and_many_are_worked_on_in_portions(monkeypatch):
    params = {**LINE, "layout": {"id": "line", "params": {"count": 50}}, "late_frames": 10, "differs": 0.2}
    lift = np.random.default_rng(1).uniform(0, 1, 40)
    whole = baked(params, [lift])
    some = baked(params, [lift], which=np.array([49, 0, 7]))
    assert (some == whole[[49, 0, 7]]).all()
    monkeypatch.setattr("fern_tide.core.bake.pieces._AT_ONCE", 100)
    assert (baked(params, [lift]) == whole).all()


@pytest.mark.parametrize("response", RESPONSES)
def test_at_rest_nothing_moves_whatever_the_array_is_like(response):
    params = {**LINE, "late_frames": 3, "last": 2.0, "differs": 1.0, "reaches": [{"slot": 1, "away": True}]}
    still = baked(params, [np.zeros(9)], {"rest": 0.7, "full": 3.0, "response": {"id": response}})
    assert (still == 0.7).all()

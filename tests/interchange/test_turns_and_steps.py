"""Turns of many rounds, and steps at their very frame, as three.js plays them."""

import json

import numpy as np
import pytest
from tests.interchange.test_other_programs import NODE, SPEC, node

from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.slopes import monotone_slopes
from fern_tide.core.bake.thin import Interpolation, Keys, every_frame, thin
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.formats.channels import moving_channels, read_channel
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.scene.gltf.build import build
from fern_tide.core.scene.scene import Part, PartChoice, Scene

WHEEL = Scene(name="Wheel", kind="3d", parts=(Part(id="wheel", name="Wheel", shape=PartChoice(id="box")),))


def handed_off(values: np.ndarray, *, of: str = "turn_z", rate: str = "30") -> HandOff:
    target = Target.parse(f"wheel:{of}")
    item = WHEEL.part("wheel").property(of)
    curve = Curve(target=target, part_name="Wheel", label=item.label, kind="number", unit=item.unit, values=values)
    return HandOff("Wheel", WHEEL, (curve,), FrameRate.parse(rate), len(values))


def played(hand_off: HandOff, tmp_path, moments: np.ndarray, **params) -> np.ndarray:
    """Write it, have three.js play it, and give the angle about z at moments in frames, in degrees, -180 to 180."""
    file = tmp_path / "wheel.glb"
    file.write_bytes(write(hand_off, format=SPEC, params=SPEC.params(**params)).content)
    seconds = [float(moment / float(hand_off.rate.fps)) for moment in moments]
    found = node(NODE / "sample.mjs", file, json.dumps(seconds), json.dumps({"turn": ["node", 0, "quaternion"]}))
    x, y, z, w = np.array(found["turn"]).T
    np.testing.assert_allclose([x, y], 0, atol=1e-6)
    return np.degrees(2 * np.arctan2(z, w))


def apart(one: np.ndarray, other: np.ndarray) -> float:
    return float(np.abs((one - other + 180) % 360 - 180).max())


SPEEDS = {"slow": 7.0, "half a turn a frame": 180.0, "faster": 200.0, "three rounds a frame": 1080.0}


@pytest.mark.parametrize("error_percent", [0, 0.5, 5])
@pytest.mark.parametrize("speed", SPEEDS.values(), ids=SPEEDS)
def test_a_wheel_turns_the_right_way_between_any_two_keys(speed, error_percent, tmp_path):
    turns = np.cumsum(np.full(60, speed)) + 3 * np.sin(np.arange(60))
    hand_off = handed_off(turns)
    moments = np.arange(0, 59, 0.25)
    wanted = np.interp(moments, np.arange(60), turns)
    found = played(hand_off, tmp_path, moments, error_percent=error_percent)
    assert apart(found, wanted) < (0.01 if error_percent == 0 else 16)


def test_a_wheel_that_jumps_and_comes_back_is_whole(tmp_path):
    turns = np.zeros(60)
    turns[20:40] = 1000.0
    found = played(handed_off(turns), tmp_path, np.array([10.0, 19.25, 19.5, 19.75, 30.0, 39.5, 50.0]))
    assert apart(found, np.array([0, 250, 500, 750, 1000, 500, 0])) < 0.1
    held = played(handed_off(turns), tmp_path, np.array([19.0, 19.9, 20.0, 39.0, 40.0]), interpolation="step")
    assert apart(held, np.array([0, 0, 1000, 1000, 0])) < 0.1


def test_read_back_tells_a_turn_the_wrong_way_from_the_right_one():
    turns = np.linspace(0, 270, 28)
    hand_off = handed_off(turns)
    item = moving_channels(hand_off, build(WHEEL, files={}, moving=[Target.parse("wheel:turn_z")]))[0]
    right = every_frame(item.rows, interpolation=Interpolation.LINEAR)
    ends = np.array([0, 27])
    wrong = Keys(ends, item.rows[:, ends], np.zeros((4, 2)), 0.0)

    def off(keys: Keys) -> np.ndarray:
        return np.abs(next(iter(read_channel(item, keys, n_frames=28).values())) - turns)

    assert off(right).max() < 1e-6
    assert off(wrong)[14] > 150 and off(wrong)[-1] == pytest.approx(360, abs=1)


def test_keys_of_a_turn_are_thinned_within_half_a_turn():
    turns = np.cumsum(np.linspace(0, 60, 200))
    hand_off = handed_off(turns)
    item = moving_channels(hand_off, build(WHEEL, files={}, moving=[Target.parse("wheel:turn_z")]))[0]
    keys = thin(item.rows, tolerance=10.0, turning=True)  # any chord would do
    assert np.diff(np.interp(keys.frames, np.arange(200), turns)).max() < 170
    assert len(keys.frames) < 100


@pytest.mark.parametrize("rate", ["24", "24000/1001", "30", "30000/1001", "60", "60000/1001"])
def test_a_step_is_there_at_its_frames_own_time_and_never_before(rate, tmp_path):
    values = np.arange(240) % 2 * 1.0
    hand_off = handed_off(values, of="y", rate=rate)
    file = tmp_path / "steps.glb"
    params = SPEC.params(interpolation="step")
    file.write_bytes(write(hand_off, format=SPEC, params=params).content)
    at = [float(hand_off.rate.seconds(k)) for k in range(240)]
    before = [(k - 0.001) / float(hand_off.rate.fps) for k in range(1, 240)]
    wanted = json.dumps({"y": ["node", 0, "position.y"]})
    found = np.array(node(NODE / "sample.mjs", file, json.dumps(at + before), wanted)["y"])
    np.testing.assert_array_equal(found[:240], values)
    np.testing.assert_array_equal(found[240:], values[:-1])


@pytest.mark.parametrize("error_percent", [0, 1])
def test_cubic_keys_do_not_go_beyond_the_curve_between_frames(error_percent):
    rng = np.random.default_rng(4)
    values = np.concatenate([np.repeat(rng.uniform(0, 1, 40), 6), rng.uniform(0, 1, 60)])
    keys = SPEC.params(interpolation="cubic", error_percent=error_percent).keys(values[None])
    fine = keys.at(np.arange(0, len(values) - 1, 1 / 16))[0]
    frames = np.floor(np.arange(0, len(values) - 1, 1 / 16)).astype(int)
    low, high = np.minimum(values[frames], values[frames + 1]), np.maximum(values[frames], values[frames + 1])
    slack = error_percent / 100 * 1.5 + 1e-9
    assert (fine >= low - slack).all() and (fine <= high + slack).all()


def test_monotone_slopes_by_hand():
    rows = np.array([[0.0, 1.0, 3.0, 3.0, 1.0]])
    # secants 1, 2, 0, -2: their harmonic mean, flat where they turn or rest
    np.testing.assert_allclose(monotone_slopes(rows, np.arange(5.0)), [[1, 4 / 3, 0, 0, -2]])
    assert monotone_slopes(np.ones((2, 1)), np.zeros(1)).tolist() == [[0], [0]]

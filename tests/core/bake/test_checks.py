"""Every check on both sides of its limit."""

import numpy as np
import pytest

from fern_tide.core.bake.check import Checked
from fern_tide.core.bake.checking import CHECKS, run_checks
from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.flashing import Flashing
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.commands.registry import read_command
from fern_tide.core.scene.follow import Limit
from fern_tide.demo.scene import glasshouse

RATE = FrameRate.parse("30")
WAVE = np.sin(np.arange(120) / 7.0)


def curve(values, target="lamp:x", unit="px"):
    part, _, name = target.partition(":")
    return Curve(Target.parse(target), part.capitalize(), name.capitalize(), unit, "number", np.asarray(values, float))


def findings(check, *curves, limits=None, **about):
    checked = Checked(curves, rate=RATE, **about)
    outcomes = {one.check.id: one for one in run_checks(curves, limits={check: limits or {}}, about=checked)}
    return outcomes[check].findings


def test_values_outside_the_range_of_their_property():
    scene = glasshouse()
    (one,) = findings("outside_range", curve(0.5 + 0.6 * WAVE, "lamp:opacity", ""), scene=scene)
    assert "outside 0 to 1" in one.words and not 0 <= 0.5 + 0.6 * WAVE[one.frame] <= 1
    limit = read_command(dict(one.remedy.command)).limit
    assert (limit.low, limit.high) == (0, 1)
    assert not findings("outside_range", curve(0.5 + 0.5 * WAVE, "lamp:opacity", ""), scene=scene)
    assert not findings("outside_range", curve(900 * WAVE), scene=scene), "a place may be anywhere"


def test_a_jump_in_one_frame():
    step = np.where(np.arange(60) < 30, 0.0, 1.0)
    (one,) = findings("sudden_jumps", curve(step))
    assert one.frame == 30 and one.remedy.touch == ("smooth", 27, 33)
    assert not findings("sudden_jumps", curve(np.linspace(0, 1, 60)))
    assert not findings("sudden_jumps", curve(step * 0 + 3)), "what stands still does not jump"
    turning = np.arange(0, 60) * 181.0
    assert "half a turn" in findings("sudden_jumps", curve(turning, "lamp:turn", "°"))[0].words
    assert not findings("sudden_jumps", curve(np.arange(60) * 179.0, "lamp:turn", "°"))
    assert not findings("sudden_jumps", curve(step * 0.4 + WAVE[:60] * 0.6), limits={"percent": 50})


def test_keys_nearer_than_frames():
    one = curve(WAVE)
    near = {one.target: np.array([3.0, 3.5, 9.0])}
    assert findings("dense_keys", one, hand_keys=near)[0].frame == 3
    assert not findings("dense_keys", one, hand_keys={one.target: np.array([3.0, 4.0, 9.0])})


def test_long_at_a_limit_but_not_at_rest():
    scene = glasshouse()
    scene = scene.but(limits=(Limit(target=Target.parse("lamp:x"), high=1.0),))
    flat = np.concatenate([np.zeros(30), np.ones(70), np.zeros(20)])
    rest = {Target.parse("lamp:x"): np.zeros(1)}
    (one,) = findings("long_at_limit", curve(flat), scene=scene, rests=rest)
    assert one.frame == 30 and "2.3 s" in one.words
    assert not findings("long_at_limit", curve(flat), scene=scene, rests=rest, limits={"seconds": 2.4})
    assert not findings("long_at_limit", curve(flat), scene=scene, rests={Target.parse("lamp:x"): np.ones(1)})


def test_starts_or_ends_away_from_rest():
    rest = {Target.parse("lamp:x"): np.zeros(1)}
    closed, opened = np.sin(np.linspace(0, np.pi, 90)), np.linspace(0, 1, 90)
    assert not findings("open_ends", curve(closed), rests=rest)
    (one,) = findings("open_ends", curve(opened), rests=rest)
    assert one.frame == 89 and "ends 100 %" in one.words and one.remedy.touch == ("silence", 75, 90)
    (both,) = findings("open_ends", curve(1 + closed), rests=rest)
    assert "starts and ends" in both.words
    assert findings("open_ends", curve(opened[::-1]), rests=rest)[0].remedy.touch == ("silence", 0, 15)
    assert not findings("open_ends", curve(opened)), "where it rests is not known"


def test_a_part_that_leaves_the_stage():
    scene = glasshouse()
    box = {"lamp": np.array([[900.0, 400.0], [1000.0, 500.0]])}
    own = float(scene.part("lamp").own("x"))
    gone = np.where(np.arange(90) < 40, own, own + 1200.0)  # from 2100 on, of 1920
    (one,) = findings("off_stage", curve(gone), scene=scene, extents=box)
    assert one.frame == 40 and "1.7 s" in one.words
    assert not findings("off_stage", curve(own + 900 * np.ones(90)), scene=scene, extents=box), (
        "its edge is still there"
    )
    assert not findings("off_stage", curve(gone), scene=scene, extents=box, limits={"seconds": 2})


def test_copies_of_one_another():
    other = curve(3 - 2 * WAVE, "rain:x")
    assert not findings("copies", curve(WAVE), other), "it goes the other way"
    (one,) = findings("copies", curve(WAVE), curve(3 + 2 * WAVE, "rain:x"), curve(WAVE, "title:x"))
    assert one.words == "Rain, x and 1 more go as Lamp, x does"
    assert not findings("copies", curve(WAVE), curve(WAVE, "rain:y")), "another property"
    late = np.sin((np.arange(120) - 1) / 7.0)
    assert not findings("copies", curve(WAVE), curve(late, "rain:x"))
    assert findings("copies", curve(WAVE), curve(late, "rain:x"), limits={"percent": 20})


def test_sound_that_is_longer_than_the_project():
    one = curve(WAVE)
    assert not findings("longer_sound", one, sound_s=4.04)
    (late,) = findings("longer_sound", one, sound_s=4.5)
    assert late.target is None and late.frame == 119 and "0.50 s" in late.words
    assert read_command(dict(late.remedy.command)).frames is None


def test_flashing_waits_for_pictures_and_names_the_worst_second():
    outcome = {one.check.id: one for one in run_checks([curve(WAVE)])}["flashing"]
    assert outcome.waits and not outcome.findings
    counts = np.zeros(120)
    counts[80] = 4
    (one,) = findings("flashing", curve(WAVE), flashing=Flashing(counts, np.zeros(120), 30.0))
    assert one.frame == 51 and "4 times in" in one.words
    assert not findings("flashing", curve(WAVE), flashing=Flashing(counts - 1, np.zeros(120), 30.0))
    blinks, still = curve(np.arange(120) % 2, "lamp:opacity", ""), curve(WAVE, "rain:opacity", "")
    (mended,) = findings("flashing", still, blinks, flashing=Flashing(counts, np.zeros(120), 30.0))
    assert mended.target == blinks.target and mended.remedy.touch == ("smooth", 51, 81)
    (seldom, slow) = findings(
        "flashing", blinks, flashing=Flashing(counts, np.zeros(120), 30.0), drivers={blinks.target: ["m", "n"]}
    )[0].others
    assert seldom.command["path"] == "steps" and seldom.command["id"] == "m"
    assert (seldom.command["value"]["id"], slow.command["value"]["id"]) == ("seldom", "speed_limit")
    assert read_command(dict(seldom.command)) and read_command(dict(slow.command))
    assert mended.others == ()
    assert "in red" in findings("flashing", curve(WAVE), flashing=Flashing(np.zeros(120), counts, 30.0))[0].words


@pytest.mark.parametrize("check", CHECKS.values(), ids=CHECKS)
def test_nothing_is_found_where_there_is_nothing(check):
    assert check.look_at_all(Checked(()), check.params()) == []
    assert check.look_at_all(Checked((curve([]),), scene=glasshouse()), check.params()) == []


RAMP = np.arange(101) / 100.0


@pytest.mark.parametrize(
    ("check", "well", "wrong", "about"),
    [
        ("outside_range", np.clip(2 * RAMP, 0, 1), 1.00001 * RAMP, {"target": "lamp:opacity", "unit": ""}),
        ("sudden_jumps", [0, 89.9, 100], [0, 90, 100], {}),
        ("sudden_jumps", [0, 179.9, 359.8], [0, 180, 360], {"target": "lamp:turn", "unit": "°"}),
        ("open_ends", [0, 1, 0.05], [0, 1, 0.051], {"rest": 0.0}),
        ("open_ends", [-0.05, 0.95, 0], [0.051, 1, 0], {"rest": 0.0}),
        ("long_at_limit", [0] + [1] * 59, [0] + [1] * 60, {"rest": 0.0}),
        ("off_stage", [1021] * 29 + [1020] * 9, [1021] * 30 + [1020] * 9, {}),
        ("off_stage", [-1001] * 29 + [-1000] * 9, [-1001] * 30 + [-1000] * 9, {}),
    ],
)
def test_just_within_its_limit_and_just_beyond(check, well, wrong, about):
    """The box of the lamp is as far from both edges of 1920 as the ramp of its place is from its own."""
    scene = glasshouse().but(limits=(Limit(target=Target.parse("lamp:x"), high=1.0),))
    own = float(scene.part("lamp").own("x")) if check == "off_stage" else 0.0
    target, unit = about.get("target", "lamp:x"), about.get("unit", "px")
    rests = {Target.parse(target): np.array([about["rest"]])} if "rest" in about else {}
    known = {"scene": scene, "rests": rests, "extents": {"lamp": np.array([[900.0, 400.0], [1000.0, 500.0]])}}
    assert not findings(check, curve(own + np.array(well, float), target, unit), **known)
    assert len(findings(check, curve(own + np.array(wrong, float), target, unit), **known)) == 1


def test_limits_of_copies_keys_and_sound():
    bent = RAMP + 0.0049 * np.sin(np.pi * RAMP * 2)
    assert findings("copies", curve(RAMP), curve(bent, "rain:x")), "they differ by less than half a hundredth"
    assert not findings("copies", curve(RAMP), curve(RAMP + 0.006 * np.sin(np.pi * RAMP * 2), "rain:x"))
    one = curve(RAMP)
    assert not findings("dense_keys", one, hand_keys={one.target: np.array([3.0, 4.0])}, limits={"frames": 1})
    assert findings("dense_keys", one, hand_keys={one.target: np.array([3.0, 3.99])}, limits={"frames": 1})
    exactly = RATE.duration_s(101) + 0.25
    assert not findings("longer_sound", one, sound_s=exactly, limits={"seconds": exactly - RATE.duration_s(101)})

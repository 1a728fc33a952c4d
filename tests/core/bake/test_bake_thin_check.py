"""Bake, keys and checks."""

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from fern_tide.core.bake.bake import bake, driven
from fern_tide.core.bake.checking import run_checks
from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.thin import thin
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.drive import Drive, Stacking
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.marks import Marks
from fern_tide.demo.scene import glasshouse

SCENE = glasshouse()
TURN = Target(part="lamp", property="turn")
FILL = Target(part="moth-one", property="fill")
LIFT = np.array([0.0, 0.5, 1.0])


def mapping(name, *drives, muted=False):
    return Mapping(id=name, name=name, envelope="e", marks=Marks(low=0.1, high=0.9), drives=drives, muted=muted)


def baked(*mappings, lift=LIFT):
    return {
        c.target: c.values.tolist()
        for c in bake(SCENE, mappings, lifts={m.id: lift for m in mappings}, n_frames=len(lift))
    }


def test_a_value_goes_from_rest_to_full():
    assert baked(mapping("a", Drive(target=TURN, rest=-4, full=8))) == {TURN: [-4, 2, 8]}


def test_mappings_on_one_property_stack_in_order():
    low = Drive(target=TURN, rest=0, full=10)
    add = Drive(target=TURN, rest=0, full=2, stacking=Stacking.ADD)
    times = Drive(target=TURN, rest=1, full=3, stacking=Stacking.MULTIPLY)
    assert baked(mapping("a", low), mapping("b", add)) == {TURN: [0, 6, 12]}
    assert baked(mapping("a", low), mapping("b", add), mapping("c", times)) == {TURN: [0, 12, 36]}
    assert baked(mapping("a", add), mapping("b", low)) == {TURN: [0, 5, 10]}


def test_the_first_of_a_stack_lies_on_the_parts_own_value():
    opacity = Target(part="rain", property="opacity")
    add = Drive(target=opacity, rest=0, full=0.5, stacking=Stacking.ADD)
    np.testing.assert_allclose(baked(mapping("a", add))[opacity], [0.3, 0.55, 0.8])


def test_a_muted_mapping_takes_no_part():
    assert baked(mapping("a", Drive(target=TURN, rest=0, full=1), muted=True)) == {}


def test_driven_properties_come_in_the_scenes_order():
    first, last = Target(part="rain", property="y"), Target(part="title", property="x")
    a = mapping(
        "a", Drive(target=last, rest=0, full=1), Drive(target=TURN, rest=0, full=1), Drive(target=first, rest=0, full=1)
    )
    assert list(driven(SCENE, [a])) == [first, TURN, last]


def test_baking_only_some_targets_is_the_same_as_baking_all():
    both = mapping("a", Drive(target=TURN, rest=0, full=1), Drive(target=FILL, rest="#000000", full="#ffffff"))
    (alone,) = bake(SCENE, [both], lifts={"a": LIFT}, n_frames=3, only=[FILL])
    assert alone.values.tobytes() == bake(SCENE, [both], lifts={"a": LIFT}, n_frames=3)[1].values.tobytes()
    assert alone.values.shape == (3, 3)


def test_a_straight_line_needs_two_keys():
    keys = thin(np.linspace(0, 5, 1000), tolerance=1e-9)
    assert keys.frames.tolist() == [0, 999]
    assert keys.error < 1e-9


def test_a_corner_is_kept_exactly():
    keys = thin(np.array([0, 0, 0, 0, 1.0, 2, 3, 3, 3]), tolerance=0)
    assert keys.frames.tolist() == [0, 3, 6, 8]


CURVES = arrays(np.float64, st.integers(1, 200), elements=st.floats(-10, 10))


@given(values=CURVES, tolerance=st.sampled_from([0.0, 0.01, 0.5, 3.0]))
def test_keys_stay_within_the_tolerance_at_every_frame(values, tolerance):
    keys = thin(values, tolerance=tolerance)
    line = np.interp(np.arange(values.size), keys.frames, keys.values)
    assert np.abs(line - values).max() <= tolerance + 1e-9
    assert keys.error == pytest.approx(np.abs(line - values).max(), abs=1e-12)
    assert keys.frames[0] == 0 and keys.frames[-1] == values.size - 1


@given(values=CURVES)
@example(values=np.array([0.0, 2.2e-313, 1.0]))  # a number so small that one over it is none
def test_more_room_never_needs_more_keys_than_frames(values):
    assert len(thin(values, tolerance=100).frames) == min(2, values.size)


def test_a_long_smooth_curve_is_thinned_far():
    t = np.arange(14_400) / 60
    values = np.sin(t) + 0.3 * np.sin(2.7 * t)
    keys = thin(values, tolerance=0.005 * np.ptp(values))
    assert len(keys.frames) < 14_400 / 15


def test_channels_of_a_colour_share_their_keys():
    values = np.stack([np.linspace(0, 1, 50), np.linspace(1, 0, 50), np.abs(np.linspace(-1, 1, 50))])
    keys = thin(values, tolerance=0.05)
    assert keys.values.shape == (3, len(keys.frames))
    assert 24 in keys.frames or 25 in keys.frames


def curve(name, values):
    return Curve(Target(part="lamp", property=name), "Lamp", "Height", "x", "number", np.asarray(values, dtype=float))


def findings(*curves):
    return {outcome.check.id: [f.frame for f in outcome.findings] for outcome in run_checks(curves)}


def test_a_scale_that_comes_near_zero_is_found_where_it_is_nearest():
    assert findings(curve("scale_y", [1, 0.5, 0.001, 0.5]))["near_zero_scale"] == [2]
    assert findings(curve("scale_y", [1, 0.02]))["near_zero_scale"] == []
    assert findings(curve("opacity", [1, 0]))["near_zero_scale"] == []


def test_a_curve_that_never_moves_is_found():
    assert findings(curve("turn", [3, 3, 3]), curve("x", [0, 1, 0]))["never_moves"] == [0]

"""Properties that follow others, and limits."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from fern_tide.core.bake.bake import bake, driven
from fern_tide.core.bake.reached import moved_with
from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.drive import Drive, Stacking
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.marks import Marks
from fern_tide.core.scene.follow import Follow, Law, Limit, followed
from fern_tide.demo.scene import glasshouse

SCENE = glasshouse()
LIFT = np.array([0.0, 0.25, 0.5, 1.0, 0.5])
VALUES = arrays(np.float64, st.integers(1, 60), elements=st.floats(-1e4, 1e4))


def target(text):
    return Target.parse(text)


def follow(what, source, **more):
    return Follow(target=target(what), source=target(source), **more)


def driving(*drives):
    made = tuple(
        Drive(target=target(name), rest=rest, full=full, stacking=stacking) for name, rest, full, stacking in drives
    )
    return Mapping(id="m", name="M", envelope="e", marks=Marks(low=0.1, high=0.9), drives=made)


def baked(scene, *mappings, only=None):
    lifts = {mapping.id: LIFT for mapping in mappings}
    chosen = None if only is None else [target(name) for name in only]
    return {str(c.target): c.values for c in bake(scene, mappings, lifts=lifts, n_frames=5, only=chosen)}


LAMP = driving(("lamp:turn", 2.0, 10.0, Stacking.REPLACE))


def test_a_property_follows_times_a_factor_plus_an_offset_some_frames_late():
    scene = SCENE.but(follows=(follow("moth-one:turn", "lamp:turn", factor=-2, offset=1, late_frames=2),))
    found = baked(scene, LAMP)
    np.testing.assert_allclose(found["lamp:turn"], [2, 4, 6, 10, 6])
    np.testing.assert_allclose(found["moth-one:turn"], [-3, -3, -3, -7, -11])


def test_a_chain_is_resolved_whichever_is_listed_first_and_only_what_is_asked_for_is_given():
    scene = SCENE.but(
        follows=(
            follow("frond-left:turn", "moth-two:turn", factor=2),
            follow("moth-two:turn", "moth-one:turn", offset=1),
            follow("moth-one:turn", "lamp:turn"),
        )
    )
    np.testing.assert_allclose(baked(scene, LAMP, only=["frond-left:turn"])["frond-left:turn"], [6, 10, 14, 22, 14])
    assert list(baked(scene, LAMP, only=["frond-left:turn"])) == ["frond-left:turn"]
    assert moved_with(scene, (), [target("lamp:turn")]) == {
        target(f"{part}:turn") for part in ("lamp", "moth-one", "moth-two", "frond-left")
    }


def test_a_mapping_lies_on_what_is_followed():
    scene = SCENE.but(follows=(follow("moth-one:turn", "lamp:turn"),))
    add = driving(("lamp:turn", 2.0, 10.0, Stacking.REPLACE), ("moth-one:turn", 0.0, 1.0, Stacking.ADD))
    np.testing.assert_allclose(baked(scene, add)["moth-one:turn"], [2, 4.25, 6.5, 11, 6.5])


def test_what_follows_something_that_stands_still_stands_still():
    scene = SCENE.but(follows=(follow("moth-one:opacity", "rain:opacity", factor=2),))
    assert driven(scene, [])[target("moth-one:opacity")] == []
    np.testing.assert_allclose(baked(scene)["moth-one:opacity"], 0.6)


def test_a_colour_follows_a_colour():
    scene = SCENE.but(follows=(follow("moth-two:fill", "moth-one:fill", late_frames=1),))
    mapping = driving(("moth-one:fill", "#000000", "#ffffff", Stacking.REPLACE))
    found = baked(scene, mapping)
    np.testing.assert_array_equal(found["moth-two:fill"][:, 1:], found["moth-one:fill"][:, :-1])


@pytest.mark.parametrize(("law", "others"), [(Law.AREA, 1), (Law.VOLUME, 2)])
@given(heights=arrays(np.float64, 20, elements=st.floats(0.05, 20)), own=st.floats(0.1, 5), rest=st.floats(0.1, 5))
def test_squash_and_stretch_keeps_area_or_volume(law, others, heights, own, rest):
    width = followed(heights, follow=follow("a:b", "c:d", law=law), own=own, source_own=rest)
    np.testing.assert_allclose(heights * width**others, rest * own**others, rtol=1e-9)


def test_squash_and_stretch_stays_finite_where_the_height_is_nothing():
    width = followed(np.array([0.0, -1.0]), follow=follow("a:b", "c:d", law=Law.AREA), own=1.0, source_own=1.0)
    assert np.isfinite(width).all() and (width > 0).all()


@given(values=VALUES, late=st.integers(0, 80))
def test_late_is_a_shift_that_holds_the_first_value(values, late):
    values.setflags(write=False)
    out = followed(values, follow=follow("a:b", "c:d", late_frames=late), own=0.0, source_own=0.0)
    expected = [values[max(0, k - late)] for k in range(len(values))]
    np.testing.assert_array_equal(out, expected)


@pytest.mark.parametrize(
    ("pairs", "why"),
    [
        ([("lamp:turn", "lamp:turn")], "follows"),
        ([("lamp:turn", "moth-one:turn"), ("moth-one:turn", "lamp:turn")], "follow it in turn"),
        ([("lamp:turn", "moth-one:turn"), ("lamp:turn", "moth-two:turn")], "one property to follow"),
        ([("lamp:turn", "moth-one:fill")], "its kind"),
        ([("lamp:turn", "nobody:turn")], "no part named nobody"),
        ([("lamp:turn", "moth-one:height")], "no property named height"),
    ],
)
def test_circles_and_what_does_not_fit_are_refused(pairs, why):
    with pytest.raises(FernTideError, match=why):
        SCENE.but(follows=tuple(follow(*pair) for pair in pairs))


def test_limits_are_baked_in_and_hold_for_what_follows_too():
    scene = SCENE.but(
        follows=(follow("moth-one:turn", "lamp:turn"),),
        limits=(Limit(target=target("lamp:turn"), low=3, high=8), Limit(target=target("moth-one:turn"), high=5)),
    )
    found = baked(scene, LAMP)
    np.testing.assert_allclose(found["lamp:turn"], [3, 4, 6, 8, 6])
    np.testing.assert_allclose(found["moth-one:turn"], [3, 4, 5, 5, 5])


def test_impossible_limits_are_refused():
    with pytest.raises(InvalidParameter, match="never below is 4"):
        Limit(target=target("lamp:turn"), low=4, high=3)
    with pytest.raises(InvalidParameter, match="only on numbers"):
        SCENE.but(limits=(Limit(target=target("moth-one:fill"), low=1),))


@given(values=VALUES, low=st.none() | st.floats(-10, 0), high=st.none() | st.floats(0, 10))
def test_no_value_leaves_its_limits_and_none_inside_is_changed(values, low, high):
    held = Limit(target=target("a:b"), low=low, high=high).hold(values)
    assert (held >= (-np.inf if low is None else low)).all() and (held <= (np.inf if high is None else high)).all()
    inside = held == values
    assert (inside | (held == low) | (held == high)).all()

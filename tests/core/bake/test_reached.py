"""Parts that stand in the scene and go by reaches: how much of their motion they have, by hand, and what follows."""

import numpy as np
import pytest
from tests.core.derivation.documents import Remembered, document, drive, envelope, mapping, value

from fern_tide.core.bake.bake import bake
from fern_tide.core.bake.touch_up import TouchUp
from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.target import Target
from fern_tide.core.commands.scene import RemovePart
from fern_tide.core.derivation.graph import Graph
from fern_tide.core.live.curves import LiveCurves
from fern_tide.core.mapping.drive import Drive, Within
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.marks import Marks
from fern_tide.core.scene.follow import Follow
from fern_tide.core.scene.scene import Part, Scene

LIFT = np.array([0.0, 1.0, 0.5, 1.0])


def part(id, kind="rectangle", parent=None, params=None, **values):
    shape = {"id": kind, "params": params or {}}
    return Part.model_validate({"id": id, "name": id.title(), "parent": parent, "shape": shape, "values": values})


def reach(id="reach", parent=None, **values):
    params = {"easing": {"id": "straight"}}
    return part(id, "reach", parent, params, reach_inner=0.0, reach_outer=100.0, **values)


def moved(target, *, x=0.0, y=0.0, reaches=("reach",), rest=10.0, full=20.0, **more):
    within = Within(reaches=reaches, x=x, y=y) if reaches else None
    return Drive(target=Target.parse(target), rest=rest, full=full, within=within, **more)


def driven(*drives, id="sway"):
    return Mapping(id=id, name=id, envelope="loud", marks=Marks(low=0.0, high=1.0), drives=drives)


def curve(parts, mappings, target="bar:turn"):
    scene = Scene(name="S", parts=tuple(parts))
    lifts = {one.id: LIFT for one in mappings}
    curves = bake(scene, mappings, lifts=lifts, n_frames=len(LIFT))
    return next(one.values for one in curves if str(one.target) == target)


@pytest.mark.parametrize(("away", "share"), [(0, 1.0), (25, 0.75), (50, 0.5), (100, 0.0), (400, 0.0)])
def test_a_part_moves_less_the_farther_outside_it_stands(away, share):
    values = curve([part("bar"), reach(reach_x=300.0, reach_y=40.0)], [driven(moved("bar:turn", x=300 + away, y=40))])
    np.testing.assert_allclose(values, 10 + share * LIFT * 10, atol=1e-12)


def test_a_reach_that_sound_moves_sweeps_across():
    sweep = driven(moved("reach:reach_x", reaches=(), rest=0.0, full=100.0), id="sweep")
    values = curve([part("bar"), reach()], [driven(moved("bar:turn", x=100)), sweep])
    np.testing.assert_allclose(values, 10 + LIFT * LIFT * 10, atol=1e-12)  # it comes as far as the lift goes


def test_several_add_up_to_all_of_it_and_one_that_takes_away_takes_its_share():
    near, far = reach("near", reach_x=40.0), reach("far", reach_x=-80.0)
    both = curve([part("bar"), near, far], [driven(moved("bar:turn", reaches=("near", "far")))])
    np.testing.assert_allclose(both, 10 + 0.8 * LIFT * 10, atol=1e-12)
    taken = part("far", "reach", None, {"easing": {"id": "straight"}, "away": True}, reach_inner=0.0, reach_outer=100.0)
    less = curve([part("bar"), near, taken], [driven(moved("bar:turn", x=25.0, reaches=("near", "far")))])
    np.testing.assert_allclose(less, 10 + (1 - 0.15) * (1 - 0.75) * LIFT * 10, atol=1e-12)


def test_a_reach_that_a_drive_does_not_name_is_nothing_to_it():
    values = curve([part("bar"), reach("other", reach_x=50.0), reach()], [driven(moved("bar:turn", x=50))])
    np.testing.assert_allclose(values, 10 + 0.5 * LIFT * 10, atol=1e-12)


def test_a_reach_lies_in_what_it_lies_in():
    outer = part("outer", "group", x=200.0, scale_x=2.0, scale_y=2.0)
    values = curve([outer, part("bar"), reach(parent="outer", reach_x=50.0)], [driven(moved("bar:turn", x=400))])
    np.testing.assert_allclose(values, 10 + 0.5 * LIFT * 10, atol=1e-12)  # 100 of the stage's px are 50 of its own


def test_at_rest_it_is_exactly_at_rest_and_what_is_gone_counts_no_more():
    values = curve([part("bar"), reach()], [driven(moved("bar:turn", x=33.3, rest=0.1, full=0.7))])
    assert values[0] == 0.1
    gone = curve([part("bar"), part("other")], [driven(moved("bar:turn", reaches=("nobody", "other")))])
    np.testing.assert_array_equal(gone, 10 + LIFT * 10)


def within(project, target, **where):
    first, *others = project.mappings
    drives = [
        one.but(within=Within(reaches=("reach",), **where)) if str(one.target) == target else one
        for one in first.drives
    ]
    return project.but(mappings=(first.but(drives=tuple(drives)), *others))


def swept(**more):
    base = document(
        envelopes=(envelope("loud"), envelope("soft", "band")),
        mappings=(
            mapping("sway", "loud", drive("lamp:turn", -8.0, 12.0), drive("moth-one:turn", 0.0, 5.0)),
            mapping("sweep", "soft", drive("moth-two:x", 0.0, 900.0)),
        ),
    )
    scene = base.scene.but(parts=(*base.scene.parts, part("reach", "reach", reach_outer=900.0, reach_x=500.0)))
    sweep = base.mappings[1].but(drives=(base.mappings[1].drives[0].but(target=Target.parse("reach:reach_x")),))
    return within(base.but(scene=scene, mappings=(base.mappings[0], sweep)), "lamp:turn", x=900.0, y=300.0)


LAMP, MOTH, SWEPT = (Target.parse(name) for name in ("lamp:turn", "moth-one:turn", "reach:reach_x"))


def test_an_edit_of_what_moves_a_reach_works_out_anew_what_goes_by_it_and_nothing_else():
    project = swept()
    before = Graph(project)
    curves = before.curves
    assert SWEPT.part in str(curves[LAMP].inputs) and len(curves[LAMP].inputs) > len(curves[MOTH].inputs)
    first, sweep = project.mappings
    other = project.but(mappings=(first, sweep.but(marks=sweep.marks.but(low=0.1))))
    after, fresh = Graph(other, like=before).curves, Graph(other).curves
    assert {target: node.fingerprint for target, node in after.items()} == {
        target: node.fingerprint for target, node in fresh.items()
    }
    assert after[LAMP].fingerprint != curves[LAMP].fingerprint and after[MOTH] is curves[MOTH]
    memory = Remembered()
    assert np.abs(value(after[LAMP], memory=memory) - value(curves[LAMP], memory=memory)).max() > 1e-3


@pytest.mark.parametrize("change", [{"reach_y": 20.0}, {"reach_outer": 300.0}])
def test_where_a_reach_stands_and_what_it_is_are_in_the_fingerprint(change):
    project = swept()
    reach_part = project.scene.part("reach")
    others = tuple(
        one.but(values={**one.values, **change}) if one is reach_part else one for one in project.scene.parts
    )
    other = project.but(scene=project.scene.but(parts=others))
    shaped = tuple(
        one.but(shape=part("r", "reach", None, {"away": True}).shape) if one is reach_part else one
        for one in project.scene.parts
    )
    away = project.but(scene=project.scene.but(parts=shaped))
    elsewhere = within(project, "lamp:turn", x=901.0, y=300.0)
    prints = [Graph(one).curves[LAMP].fingerprint for one in (project, other, away, elsewhere)]
    assert len(set(prints)) == 4


def test_what_goes_by_a_reach_cannot_move_it():
    with pytest.raises(InvalidParameter, match="goes by"):
        _by_itself()
    with pytest.raises(InvalidParameter, match="goes by"):
        _followed_by_its_reach()


def _by_itself():
    project = swept()
    sway, sweep = project.mappings
    own = sweep.drives[0].but(within=Within(reaches=("reach",)))
    return project.but(mappings=(sway, sweep.but(drives=(own,))))


def _followed_by_its_reach():
    project = swept()
    follow = Follow(target=Target.parse("reach:reach_y"), source=LAMP)
    return project.but(scene=project.scene.but(follows=(follow,)))


def test_a_reach_that_is_removed_leaves_what_went_by_it_with_all_of_its_motion():
    project = swept()
    left = RemovePart(id="reach", with_users=True).apply(project)
    assert [drive.within for mapping in left.mappings for drive in mapping.drives] == [None, None]
    assert [mapping.id for mapping in left.mappings] == ["sway"]
    two = within(project, "lamp:turn").mappings[0].drives[0].within
    assert two is not None
    drive_of_two = moved("bar:turn", reaches=("reach", "other"))
    assert drive_of_two.without_reaches({"other"}).within.reaches == ("reach",)
    assert drive_of_two.without_reaches({"nobody"}) is drive_of_two


def test_live_it_is_the_same_frame_by_frame():
    project = swept()
    live = LiveCurves.of(project, Graph(project).drivers)
    n = live.back_frames + 1
    lifts = {"sway": np.full(n, 0.6), "sweep": np.full(n, 0.25)}
    got = live.values(lambda name: lifts[name])
    scene, mappings = project.scene, project.mappings
    whole = {one.target: one.values for one in bake(scene, mappings, lifts=lifts, n_frames=n)}
    for target, values in whole.items():
        np.testing.assert_allclose(got[target][..., -1], values[..., -1], atol=1e-12)
    assert 0 < (got[LAMP][-1] + 8) / 20 < 0.6


def with_part(project, id, **changes):
    parts = tuple(one.but(**changes) if one.id == id else one for one in project.scene.parts)
    return project.but(scene=project.scene.but(parts=parts))


def test_a_graph_that_goes_on_from_another_one_knows_what_became_of_a_reach():
    project = swept()
    outer = part("outer", "group", x=100.0)
    inside = tuple(one.but(parent="outer") if one.id == "reach" else one for one in project.scene.parts)
    project = project.but(scene=project.scene.but(parts=(outer, *inside)))
    before = Graph(project)
    assert before.curves
    away = part("r", "reach", None, {"away": True}).shape
    moved_on = [with_part(project, "reach", shape=away), with_part(project, "outer", values={"x": 250.0})]
    prints = {before.curves[LAMP].fingerprint}
    for other in moved_on:
        after, fresh = Graph(other, like=before).curves, Graph(other).curves
        assert after[LAMP].fingerprint == fresh[LAMP].fingerprint
        prints.add(after[LAMP].fingerprint)
    assert len(prints) == 3


def test_touch_ups_rest_where_what_goes_by_a_reach_rests():
    silence = {"id": "t", "target": "lamp:turn", "start": {"at_s": 1.0}, "length_s": 0.5, "touch": {"id": "silence"}}
    project = swept().but(touch_ups=(TouchUp.model_validate(silence),))
    values = value(Graph(project).curves[LAMP])
    fps = float(project.rate.fps)
    np.testing.assert_allclose(values[round(fps) : round(1.5 * fps)], -8.0, atol=1e-12)
    assert np.ptp(values) > 0.1

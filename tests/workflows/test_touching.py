"""Touch-ups over curves that a sound moves: they stay after a new bake, and say when their ground moved."""

import numpy as np
import pytest

from fern_tide.core.bake.touch_up import TiedTo
from fern_tide.core.base.errors import FernTideError, InvalidParameter, UnknownName
from fern_tide.core.base.params import build
from fern_tide.core.base.target import Target
from fern_tide.core.commands.field import SetField
from fern_tide.core.commands.mapping import PutMapping
from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.commands.scene import RemovePart
from fern_tide.core.commands.soundtrack import AddMarker, PutTrack, RemoveMarker, RemoveTrack, SetRate
from fern_tide.core.commands.touch_ups import PutTouchUps, RemoveTouchUps
from fern_tide.core.derivation.graph import Graph
from fern_tide.core.envelope.envelope import Envelope
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.workflows.bake import baking
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.tune import keys_by_hand, touching

LAMP = Target.parse("lamp:scale_x")


@pytest.fixture
def project(studio, key, levels):
    project = studio.projects.current(key).document
    envelope = project.envelopes[0].but(clean_up=())
    mapping = {
        "id": "m",
        "name": "Lamp",
        "envelope": envelope.id,
        "marks": {"low": 0.05, "high": 0.9},
        "drives": [{"target": "lamp:scale_x", "rest": 1.0, "full": 2.0}],
    }
    project = project.but(envelopes=(envelope, *project.envelopes[1:]), mappings=(build(Mapping, mapping),))
    revision = studio.projects.save(key, project, base=studio.projects.current(key).id, label="Start")
    return revision.document


def curve(levels, project):
    return touching.touched_curve(levels, project, LAMP)


def with_touch_up(levels, project, kind, first, end, *, tied_to=TiedTo.TIME, **options):
    wanted = touching.Wanted(LAMP, kind, first, end, tied_to, options)
    touch_up = touching.new_touch_up(levels, project, wanted)
    return PutTouchUps(touch_ups=(touch_up,)).apply(project)


def test_a_hold_begins_with_the_curves_own_value_and_is_baked(studio, levels, key, project):
    before = curve(levels, project).values
    after = with_touch_up(levels, project, "hold", 20, 30)
    held = curve(levels, after)
    np.testing.assert_allclose(held.values[20:30], before[20], rtol=1e-5)
    np.testing.assert_array_equal(held.below, before)
    (baked,) = [one for one in levels.curves(after) if one.target == LAMP]
    np.testing.assert_array_equal(baked.values, held.values)
    assert levels.graph(after).curves[LAMP].fingerprint != levels.graph(project).curves[LAMP].fingerprint


def test_it_stays_when_the_clean_up_changes_and_says_that_its_ground_moved(levels, project):
    after = with_touch_up(levels, project, "scale", 10, 60, percent=0)
    (standing,) = touching.standings(levels, after)
    assert standing.moved_percent < 1e-3 and (standing.first, standing.end) == (10, 60)
    smooth = after.envelopes[0].but(clean_up=({"id": "smooth", "params": {"width_ms": 300}},))
    changed = PutEnvelope(envelope=build(Envelope, smooth.model_dump())).apply(after)
    np.testing.assert_allclose(curve(levels, changed).values[20:50], 1.0), "it is at rest there still"
    (standing,) = touching.standings(levels, changed)
    ground = curve(levels, project).values[10:60], curve(levels, changed).below[10:60]
    expected = 100 * np.abs(ground[0] - ground[1]).max() / np.ptp(curve(levels, changed).values)
    assert standing.moved_percent == pytest.approx(expected, rel=1e-4) and expected > 5
    pair = touching.compare(levels, changed, changed.touch_ups[0])
    np.testing.assert_allclose(pair.before[0], ground[0], atol=1e-6)
    np.testing.assert_allclose(pair.now[0], ground[1], atol=1e-12)
    right = touching.on_its_ground(levels, changed, changed.touch_ups[0])
    accepted = PutTouchUps(touch_ups=(right,)).apply(changed)
    assert touching.standings(levels, accepted)[0].moved_percent < 1e-3


def test_one_tied_to_a_hit_goes_with_its_track(studio, levels, project):
    tied = with_touch_up(levels, project, "hold", 28, 40, tied_to=TiedTo.HIT, value=5)
    start = tied.touch_ups[0].start
    hits = levels.rhythm(project, project.tracks[0])[0].times_s
    assert start.at_s in hits and start.at_s + start.after_s == pytest.approx(28 / 30)
    track = tied.tracks[0]
    later = PutTrack(track=track.but(offset_samples=track.info.sample_rate_hz)).apply(tied)
    analysis.ensure(studio, later)
    assert np.flatnonzero(curve(levels, later).values == 5).tolist() == list(range(58, 70))
    gone = RemoveTrack(id=track.id, with_users=True).apply(later)
    assert gone.touch_ups[0].start.tied_to is TiedTo.TIME and gone.touch_ups[0].began_s() == pytest.approx(58 / 30)


def test_one_tied_to_a_marker_goes_with_it_and_stays_when_that_goes(levels, project):
    with pytest.raises(FernTideError, match="no marker to tie it to"):
        with_touch_up(levels, project, "hold", 28, 40, tied_to=TiedTo.MARKER)
    marked = AddMarker(time_s=1.0).apply(project)
    tied = with_touch_up(levels, marked, "hold", 33, 40, tied_to=TiedTo.MARKER, value=5)
    (marker,) = tied.markers
    moved = tied.but(markers=(marker.but(time_s=2.0),))
    assert np.flatnonzero(curve(levels, moved).values == 5).tolist() == list(range(63, 70))
    assert levels.graph(moved).curves[LAMP].fingerprint == Graph(moved).curves[LAMP].fingerprint
    gone = RemoveMarker(id=marker.id).apply(moved)
    assert np.flatnonzero(curve(levels, gone).values == 5).tolist() == list(range(63, 70))


def test_what_lies_nowhere_says_so_and_nothing_is_lost(studio, levels, project):
    tied = with_touch_up(levels, project, "hold", 20, 30)
    gone = RemovePart(id="lamp", with_users=True).apply(tied)
    assert gone.touch_ups == tied.touch_ups and "not on the stage" in touching.standings(levels, gone)[0].wrong
    assert LAMP not in levels.graph(gone).curves
    short = tied.but(length_frames=15)
    assert "outside the project" in touching.standings(levels, short)[0].wrong
    slower = SetRate(rate="25").apply(tied)
    analysis.ensure(studio, slower)
    assert touching.standings(levels, slower)[0].first == 17  # 2/3 s at 25
    off = tied.but(touch_ups=(tied.touch_ups[0].but(touch=tied.touch_ups[0].touch.but(on=False)),))
    assert touching.standings(levels, off)[0].wrong == ""
    np.testing.assert_array_equal(curve(levels, off).values, curve(levels, project).values)


@pytest.mark.parametrize(("first", "end"), [(-1, 5), (5, 5), (9, 3), (0, 10**6)])
def test_a_stretch_outside_the_project_is_refused(levels, project, first, end):
    with pytest.raises(InvalidParameter, match="stretch"):
        with_touch_up(levels, project, "hold", first, end)


def test_a_property_that_nothing_drives_can_be_touched_up(levels, project):
    target = Target.parse("rain:y")
    wanted = touching.Wanted(target, "nudge", 10, 20, options={"amount": 30})
    after = PutTouchUps(touch_ups=(touching.new_touch_up(levels, project, wanted),)).apply(project)
    values = next(one for one in levels.curves(after) if one.target == target).values
    own = float(project.scene.part("rain").own("y"))
    assert values[9] == own and own < values[10] < values[14] <= own + 30 and values[20] == own
    with pytest.raises(UnknownName):
        touching.new_touch_up(levels, project, touching.Wanted(Target.parse("nobody:x"), "hold", 0, 5))


def test_a_stale_curve_says_what_a_hand_did(studio, levels, key, project):
    baking.bake_all(studio, levels, key, project)
    after = with_touch_up(levels, project, "scale", 20, 30)
    (state,) = baking.states(studio, levels, key, after)
    assert state.state is baking.State.CHANGED and state.reasons == ("a touch-up came in",)
    baking.bake_all(studio, levels, key, after)
    assert not baking.stale(studio, levels, key, after)
    id_ = after.touch_ups[0].id
    stronger = SetField(owner="touch_up", id=id_, path="touch.params.percent", value=80).apply(after)
    assert baking.states(studio, levels, key, stronger)[0].reasons == ("touch-up scale 50 to 80",)
    moved = touching.restretched(levels, after, after.touch_ups[0], first=25, end=35)
    elsewhere = PutTouchUps(touch_ups=(moved,)).apply(after)
    assert baking.states(studio, levels, key, elsewhere)[0].reasons == ("a touch-up lies elsewhere",)
    mapping = after.mappings[0]
    louder = PutMapping(mapping=mapping.but(marks=mapping.marks.but(high=0.5))).apply(after)
    assert any("high water" in reason for reason in baking.states(studio, levels, key, louder)[0].reasons)
    none = RemoveTouchUps(ids=(id_,)).apply(after)
    assert baking.states(studio, levels, key, none)[0].reasons == ("a touch-up went",)


# --- keys


def edited(levels, project, **what):
    touch_up = keys_by_hand.edited_keys(levels, project, keys_by_hand.KeyEdit(LAMP, **what))
    return PutTouchUps(touch_ups=(touch_up,)).apply(project)


def test_a_moved_key_takes_the_curve_with_it_between_its_neighbours(levels, project):
    keys = keys_by_hand.shown_keys(levels, project, LAMP)
    before, frame, after = keys.frames[3:6].astype(int).tolist()
    value = float(keys.values[4])
    moved = edited(levels, project, frames=[frame], by_value=0.5)
    values = curve(levels, moved).values
    assert values[frame] == pytest.approx(value + 0.5)
    plain = curve(levels, project).values
    np.testing.assert_array_equal(values[:before], plain[:before])
    np.testing.assert_array_equal(values[after + 1 :], plain[after + 1 :])
    again = edited(levels, moved, frames=[frame], by_value=-0.5)
    assert len(again.touch_ups) == 1, "it is edited in the touch-up that is there"
    assert curve(levels, again).values[frame] == pytest.approx(value)


def test_keys_are_added_taken_out_and_made_steep(levels, project):
    added = edited(levels, project, add=[(33, 7.0)])
    assert curve(levels, added).values[33] == 7.0
    assert 33.0 in keys_by_hand.shown_keys(levels, added, LAMP).frames
    out = edited(levels, added, frames=[33.0], remove=True)
    assert 33.0 not in keys_by_hand.shown_keys(levels, out, LAMP).frames
    far = edited(levels, added, frames=[33.0], by_frames=20)
    assert curve(levels, far).values[53] == 7.0 and len(far.touch_ups) == 1
    cubic = edited(levels, added, frames=[33.0], slope=0.0, interpolation="cubic")
    params = cubic.touch_ups[0].touch.params
    assert params.interpolation == "cubic" and next(key for key in params.keys if key.value == 7.0).slope == 0.0
    kept = edited(levels, cubic, frames=[33.0], by_value=1.0)
    assert next(key for key in kept.touch_ups[0].touch.params.keys if key.value == 8.0).slope == 0.0
    with pytest.raises(FernTideError, match="No key is chosen"):
        edited(levels, project)


def test_two_stretches_of_keys_are_two_touch_ups(levels, project):
    one = edited(levels, project, add=[(20, 3.0)])
    two = edited(levels, one, add=[(100, 4.0)])
    assert len(two.touch_ups) == 2
    back = edited(levels, two, frames=[20.0], by_value=1.0)
    assert len(back.touch_ups) == 2 and curve(levels, back).values[[20, 100]].tolist() == [4.0, 4.0]


def test_what_a_hand_draws_becomes_few_keys(levels, project):
    points = [(20 + n / 4, 2 + np.sin(n / 20)) for n in range(160)]
    touch_up = keys_by_hand.drawn(levels, project, LAMP, points=points)
    after = PutTouchUps(touch_ups=(touch_up,)).apply(project)
    values = curve(levels, after).values
    frames = np.arange(21, 59)
    np.testing.assert_allclose(values[frames], 2 + np.sin((frames - 20) / 5), atol=0.06)
    assert len(touch_up.touch.params.keys) < 24
    with pytest.raises(FernTideError, match="Nothing was drawn"):
        keys_by_hand.drawn(levels, project, LAMP, points=[(5.1, 1), (5.2, 2)])


def test_keys_for_good_no_longer_follow_the_sound_and_go_back(studio, levels, key, project):
    plain = curve(levels, project).values
    good = PutTouchUps(touch_ups=(keys_by_hand.for_good(levels, project, LAMP),)).apply(project)
    assert np.abs(curve(levels, good).values - plain).max() <= 0.005 * np.ptp(plain) + 1e-9
    fixed = levels.graph(good).curves[LAMP]
    louder = good.mappings[0].but(marks=good.mappings[0].marks.but(high=0.3))
    changed = PutMapping(mapping=louder).apply(good)
    assert levels.graph(changed).curves[LAMP].fingerprint == fixed.fingerprint and not fixed.inputs
    assert PutMapping(mapping=louder.but(muted=True)).apply(good) and LAMP in levels.graph(good).curves
    with pytest.raises(FernTideError, match="for good already"):
        keys_by_hand.for_good(levels, good, LAMP)
    back = RemoveTouchUps(ids=(good.touch_ups[0].id,)).apply(changed)
    assert np.abs(curve(levels, back).values - plain).max() > 0.1, "the sound moves it again, as it is tuned now"
    with_bump = with_touch_up(levels, good, "nudge", 20, 30, amount=1.0)
    assert curve(levels, with_bump).values[25] > curve(levels, good).values[25]

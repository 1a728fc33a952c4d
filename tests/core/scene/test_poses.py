"""Poses and what lies between them: numbers, colours and turns by hand, and edits of rows."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation, Slerp

from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.target import Target
from fern_tide.core.commands.poses import StorePose, TakePose, UpdatePose
from fern_tide.core.commands.scene import RemovePart
from fern_tide.core.commands.several import SetValue
from fern_tide.core.document import Project
from fern_tide.core.mapping.colour import mix_all, parse_colour
from fern_tide.core.scene.pose_params import MOST_POSES
from fern_tide.core.scene.scene import Part, Scene

ROW = "poses-of-moth"


def part(id, kind="ellipse", **more):
    return Part.model_validate({"id": id, "name": id.title(), "shape": {"id": kind}, **more})


def project(*parts, kind="2d"):
    return Project(name="N", scene=Scene(name="S", kind=kind, parts=parts))


def put(document, **values):
    for name, value in values.items():
        document = SetValue(target=Target(part="moth", property=name), value=value).apply(document)
    return document


def posed(document, *poses, of=("moth",)):
    """Store a row: each pose is how values are set before it is stored."""
    for place, values in enumerate(poses):
        document = put(document, **values)
        document = StorePose(parts=of if not place else (), into=ROW if place else None).apply(document)
    return document


def between(scene, blend, part_id="moth"):
    given = np.atleast_1d(np.asarray(blend, dtype=float))
    found = {target: one for target, one in scene.grounds.items() if target.part == part_id}
    return {target.property: one.values([given], own=0.0) for target, one in found.items()}


def test_numbers_go_straight_from_pose_to_pose_in_equal_stretches():
    document = posed(project(part("moth")), {"x": 0, "y": 5}, {"x": 10}, {"x": -10, "scale_x": 3})
    found = between(document.scene, [-1, 0, 0.25, 0.5, 0.75, 1, 2])
    assert found["x"].tolist() == [0, 0, 5, 10, 0, -10, -10]
    assert found["scale_x"].tolist() == [1, 1, 1, 1, 2, 3, 3]
    assert found.keys() == {"x", "scale_x"}, "what is the same in all poses stays free"


def test_colours_go_through_oklab():
    document = posed(project(part("moth")), {"fill": "#ff0000"}, {"fill": "#0000ff"})
    found = between(document.scene, [0, 0.5, 1])["fill"]
    ends = [parse_colour(text)[:, None] for text in ("#ff0000", "#0000ff")]
    np.testing.assert_allclose(found[:, 1:2], mix_all(*ends, share=np.array([0.5])), atol=1e-12)
    np.testing.assert_allclose(found[:, [0, 2]], np.hstack(ends), atol=1e-6)
    beyond = between(document.scene, [-0.5, 1.5])["fill"]
    np.testing.assert_allclose(beyond, np.hstack(ends), atol=1e-6)
    assert abs(found[1, 1] - 0.5) > 0.05 and not np.allclose(found[:, 1], [0.5, 0, 0.5], atol=0.03)


@given(st.lists(st.tuples(*[st.floats(-170, 170)] * 3), min_size=2, max_size=4))
def test_turns_in_space_go_the_shorter_way_as_another_library_has_it(turns):
    poses = [dict(zip(("turn_x", "turn_y", "turn_z"), turn, strict=True)) for turn in turns]
    scene = posed(project(part("moth", "box"), kind="3d"), *poses).scene
    if not scene.grounds:
        return
    blend = np.linspace(0, 1, 40)
    found = between(scene, blend)
    ours = Rotation.from_euler("XYZ", np.stack([found[f"turn_{axis}"] for axis in "xyz"], axis=1), degrees=True)
    places = np.linspace(0, 1, len(turns))
    theirs = Slerp(places, Rotation.from_euler("XYZ", turns, degrees=True))(blend)
    apart = np.degrees((ours * theirs.inv()).magnitude())
    ends = Rotation.from_euler("XYZ", turns, degrees=True)
    half_round = any((a * b.inv()).magnitude() > np.pi - 1e-3 for a, b in pairwise(ends))
    assert half_round or apart.max() < 1e-4


def test_one_turn_of_three_that_differs_is_enough_and_a_flat_turn_is_a_number():
    scene = posed(project(part("moth", "box"), kind="3d"), {"turn_y": 0}, {"turn_y": 90}).scene
    found = between(scene, [0.5])
    assert found.keys() == {"turn_x", "turn_y", "turn_z"} and found["turn_y"][0] == pytest.approx(45)
    flat = posed(project(part("moth")), {"turn": 0}, {"turn": 350}).scene
    assert between(flat, [0.5])["turn"].tolist() == [175]


def test_all_inside_a_part_is_posed_with_it_and_arrays_of_pieces_as_one():
    document = project(part("moth", "group"), part("wing", parent="moth"), part("row", "array", parent="moth"))
    row = StorePose(parts=("moth",)).apply(document).scene.part(ROW)
    values = row.shape.params.poses[0].values
    assert values.keys() == {"moth", "wing", "row"} and values["wing"]["x"] == 0
    assert "x" in values["row"] and not any(name.startswith("piece_") for name in values["row"])


def test_posing_by_hand_lets_parts_stand_and_taking_a_pose_brings_it_back():
    document = posed(project(part("moth")), {"x": 1}, {"x": 2}, {"x": 3})
    assert document.scene.at_rest.part("moth").own("x") == 1 and document.scene.part("moth").own("x") == 3
    taken = TakePose(id=ROW, place=1).apply(document)
    assert not taken.scene.grounds and taken.scene.part("moth").own("x") == 2 and taken.scene.at_rest is taken.scene
    updated = UpdatePose(id=ROW, place=1).apply(put(taken, x=20))
    poses = updated.scene.part(ROW).shape.params.poses
    assert [pose.values["moth"]["x"] for pose in poses] == [1, 20, 3] and not updated.scene.grounds
    again = StorePose(into=ROW, name="Last").apply(put(updated, x=4))
    assert [pose.name for pose in again.scene.part(ROW).shape.params.poses] == ["Pose 1", "Pose 2", "Pose 3", "Last"]
    assert between(again.scene, [1.0])["x"].tolist() == [4]


def test_taking_a_pose_leaves_no_defaults_behind():
    document = posed(project(part("moth")), {}, {"x": 2})
    assert TakePose(id=ROW, place=0).apply(document).scene.part("moth").values == {}


def test_a_posed_part_that_goes_leaves_its_pose_unused_and_comes_back_with_undo():
    document = posed(project(part("moth"), part("lamp")), {"x": 1}, {"x": 2})
    left = RemovePart(id="moth").apply(document)
    assert not left.scene.grounds and left.scene.part(ROW).shape.params.poses[0].values["moth"]
    assert RemovePart(id=ROW).apply(document).scene.grounds == {}
    with pytest.raises(FernTideError, match="Nothing of that stands"):
        StorePose(into=ROW).apply(left)


def test_what_follows_or_rides_is_not_posed_too():
    moth = part("moth", ride={"way": "ring"})
    follows = ({"target": "lamp:y", "source": "ring:y"},)
    document = Project(name="N", scene=Scene(name="S", parts=(part("ring"), part("lamp"), moth), follows=follows))
    row = StorePose(parts=("moth", "lamp")).apply(document).scene.parts[-1]
    values = row.shape.params.poses[0].values
    assert not {"x", "y", "turn"} & values["moth"].keys() and {"along", "scale_x"} <= values["moth"].keys()
    assert "y" not in values["lamp"] and "x" in values["lamp"]


def test_a_ride_that_comes_later_wins_over_its_poses():
    document = posed(project(part("ring"), part("moth")), {"x": 1, "scale_x": 1}, {"x": 2, "scale_x": 2})
    parts = tuple(one.but(ride={"way": "ring"}) if one.id == "moth" else one for one in document.scene.parts)
    grounds = document.scene.but(parts=parts).grounds
    assert grounds[Target.parse("moth:x")].kind == "ride" and grounds[Target.parse("moth:scale_x")].kind == "poses"


def test_two_rows_cannot_pose_the_same_property():
    document = posed(project(part("moth")), {"x": 1}, {"x": 2})
    row = document.scene.part(ROW)
    with pytest.raises(InvalidParameter, match="is posed by"):
        document.scene.but(parts=(*document.scene.parts, row.but(id="other")))


def test_refusals_name_what_is_wrong():
    document = posed(project(part("moth")), {"x": 1}, {"x": 2})
    for command, words in (
        (StorePose(), "nothing to store"),
        (StorePose(parts=("gone",)), "no part named gone"),
        (StorePose(into="moth"), "a part that has poses"),
        (TakePose(id=ROW, place=7), "no pose 8"),
        (UpdatePose(id="moth", place=0), "a part that has poses"),
    ):
        with pytest.raises(FernTideError, match=words):
            command.apply(document)
    for _ in range(MOST_POSES - 2):
        document = StorePose(into=ROW).apply(document)
    with pytest.raises(FernTideError, match=f"has {MOST_POSES} poses"):
        StorePose(into=ROW).apply(document)


def test_labels_say_what_is_stored():
    document = posed(project(part("moth"), part("lamp")), {"x": 1})
    assert StorePose(parts=("moth", "lamp")).label(document) == "Store a pose of 2 parts"
    assert StorePose(parts=("moth",)).label(document) == "Store a pose of Moth"
    assert StorePose(into=ROW).label(document) == "Store a pose in Poses of Moth"
    assert TakePose(id=ROW, place=0).label(document) == "Stand as in Pose 1"
    assert UpdatePose(id=ROW, place=0).label(document) == "Update Pose 1"


def node_place(scene, blend):
    """Where a file puts the part's origin: its anchor stays where turns and scales, from rest, leave it."""
    found, still = between(scene, blend), scene.at_rest.part("moth")

    def arm(values):
        turn = Rotation.from_euler("XYZ", [float(values(f"turn_{axis}")) for axis in "xyz"], degrees=True)
        size = np.array([float(values(f"scale_{axis}")) for axis in "xyz"])
        return turn.apply(size * [still.anchor.x, still.anchor.y, still.anchor.z])

    def posed_value(name):
        return found[name][0] if name in found else still.own(name)

    place = np.array([float(posed_value(axis)) for axis in "xyz"])
    return place + arm(still.own) - arm(posed_value), place + arm(still.own)


@pytest.mark.parametrize("own", [0.0, 0.3, 1.0])
def test_a_part_with_an_anchor_stands_in_its_poses_as_stored_and_the_anchor_goes_straight_between(own):
    moth = part("moth", "box", anchor={"x": -0.5, "y": 0.2, "z": 0.1, "word": "root"})
    document = posed(
        project(moth, kind="3d"),
        {"x": 1, "turn_z": 20},
        {"turn_z": 80, "turn_x": 30, "scale_y": 2},
        {"x": 3, "scale_x": 0.5, "turn_y": -40},
    )
    values = [pose.values["moth"] for pose in document.scene.part(ROW).shape.params.poses]
    scene = SetValue(target=Target(part=ROW, property="blend"), value=own).apply(document).scene
    anchors = []
    for place, value in enumerate(values):
        origin, anchor = node_place(scene, place / 2)
        np.testing.assert_allclose(origin, [value[axis] for axis in "xyz"], atol=1e-8)
        anchors.append(anchor)
    np.testing.assert_allclose(node_place(scene, 0.125)[1], 0.75 * anchors[0] + 0.25 * anchors[1], atol=1e-8)
    assert np.ptp(anchors[:2], axis=0).max() < 1e-8, "a turn typed in a field leaves the anchor where it is"


def test_typed_turns_and_scales_go_about_the_anchor_and_back():
    moth = part("moth", "box", anchor={"x": -1, "word": "root"}, values={"x": 1.0})
    turned = put(project(moth, kind="3d"), turn_z=90)
    assert [turned.scene.part("moth").own(axis) for axis in "xyz"] == [0, 1, 0]
    larger = put(turned, scale_x=3)
    assert [larger.scene.part("moth").own(axis) for axis in "xyz"] == [0, 3, 0]
    assert put(larger, turn_z=None, scale_x=None).scene == project(moth, kind="3d").scene
    flat = put(project(part("moth", anchor={"x": 9, "y": 9})), turn=90)
    assert flat.scene.part("moth").values == {"turn": 90}
    rider = part("moth", "box", anchor={"x": -1}, ride={"way": "way"})
    riding = put(project(part("way", "way_3d"), rider, kind="3d"), turn_z=90)
    assert riding.scene.part("moth").values == {"turn_z": 90}, "where it is, its way says"

"""Parts that move along ways, by hand and by their matrices."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.formats.hand_offs import leaf

from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.target import Target
from fern_tide.core.commands.field import SetField
from fern_tide.core.commands.scene import RemovePart
from fern_tide.core.document import Project
from fern_tide.core.formats.format import write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.scene.ride import Ends, Ride
from fern_tide.core.scene.rotation import matrices, quaternions, steady_turns
from fern_tide.core.scene.scene import Part, Scene

SHARES = np.linspace(0.0, 1.0, 401)
CIRCLE = {"id": "ellipse", "params": {"cx": 0, "cy": 0, "rx": 100, "ry": 100}}


def part(id, kind, params=None, **more):
    shape = {"id": kind, "params": params or {}}
    return Part.model_validate({"id": id, "name": id.title(), "shape": shape, **more})


def places(scene, name, **sources):
    """Give what a part's ride makes of where it is, by property, a number a frame."""
    values = {key: np.atleast_1d(np.asarray(value, dtype=float)) for key, value in sources.items()}
    found = {}
    for target, ground in scene.grounds.items():
        if target.part == name and ground.kind == "ride":
            zeros = np.zeros_like(values["along"])
            found[target.property] = ground.values([values["along"], values.get("beside", zeros)], own=0.0)
    return found


def flat(ride=None, **more):
    moth = {"anchor": {"x": 50, "y": 60}, "values": {"turn": 10}, **more.pop("moth", {})}
    parts = (part("ring", kind="ellipse", params=CIRCLE["params"]), *more.pop("parts", ()))
    return Scene(
        name="S",
        parts=(*parts, part("moth", "ellipse", {"rx": 5, "ry": 5}, ride={"way": "ring", **(ride or {})}, **moth)),
    )


def test_on_a_circle_it_is_where_the_angle_says_and_turns_with_it():
    found = places(flat(), "moth", along=[0, 0.25, 0.5, 0.75])
    np.testing.assert_allclose(found["x"] + 50, [100, 0, -100, 0], atol=1e-3)
    np.testing.assert_allclose(found["y"] + 60, [0, 100, 0, -100], atol=1e-3)
    np.testing.assert_allclose(found["turn"], 10 + np.array([90, 180, 270, 360]), atol=1e-3)
    still = places(flat({"faces": False}), "moth", along=[0, 0.25])
    np.testing.assert_allclose(still["turn"], 10)


def test_beside_is_to_the_right_of_where_it_goes():
    found = places(flat(), "moth", along=[0.0, 0.25], beside=[10.0, 10.0])
    np.testing.assert_allclose(
        [found["x"][0] + 50, found["y"][1] + 60], [90, 90], atol=1e-3
    )  # down is clockwise: inward


@pytest.mark.parametrize(
    ("ends", "shares"),
    [
        (Ends.STOP, [0, 0, 0.25, 1, 1, 1]),
        (Ends.AGAIN, [0.75, 0, 0.25, 1, 0.5, 0.25]),
        (Ends.BACK, [0.25, 0, 0.25, 1, 0.5, 0.25]),
    ],
)
def test_beyond_its_ends_it_stops_begins_again_or_comes_back(ends, shares):
    ride = Ride(way="ring", ends=ends)
    assert ride.share(np.array([-0.25, 0, 0.25, 1, 1.5, 2.25])).tolist() == [
        *shares[:5],
        shares[5] if ends is not Ends.STOP else 1,
    ]


def test_round_and_round_it_turns_on():
    turn = places(flat({"ends": "from the beginning"}), "moth", along=np.linspace(0, 3, 301))["turn"]
    np.testing.assert_allclose(turn, 100 + np.linspace(0, 1080, 301), atol=0.5)


def stands(scene, name, values):
    """Give where a part's anchor is on the stage, by multiplying out what it lies in, each as SVG would."""
    at = scene.part(name)
    point = np.array([at.anchor.x + values["x"], at.anchor.y + values["y"], 1.0])
    while at.parent is not None:
        at = scene.part(at.parent)
        own = {key: float(at.own(key)) for key in ("x", "y", "turn", "scale_x", "scale_y")}
        c, s = np.cos(np.radians(own["turn"])), np.sin(np.radians(own["turn"]))
        move = np.array([[1, 0, own["x"] + at.anchor.x], [0, 1, own["y"] + at.anchor.y], [0, 0, 1]])
        back = np.array([[1, 0, -at.anchor.x], [0, 1, -at.anchor.y], [0, 0, 1]])
        turn = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])
        point = move @ turn @ np.diag([own["scale_x"], own["scale_y"], 1]) @ back @ point
    return point[:2]


def test_through_groups_that_are_moved_turned_and_scaled_it_lies_on_its_way():
    group = {"x": 40, "y": -20, "turn": 30, "scale_x": 2, "scale_y": 0.5}
    groups = (
        part("outer", "group", values=group, anchor={"x": 7, "y": 9}),
        part("inner", "group", parent="outer", values=group),
    )
    scene = flat(parts=groups, moth={"parent": "inner", "anchor": {"x": 3, "y": 4}})
    scene = scene.but(
        parts=tuple(
            one.but(values={"x": 500, "turn": 45, "scale_x": 3}) if one.id == "ring" else one for one in scene.parts
        )
    )
    found = places(scene, "moth", along=SHARES[:-1])
    shown = np.array([stands(scene, "moth", {"x": x, "y": y}) for x, y in zip(found["x"], found["y"], strict=True)])
    inside = np.linalg.inv(np.array([[np.cos(np.pi / 4), -np.sin(np.pi / 4)], [np.sin(np.pi / 4), np.cos(np.pi / 4)]]))
    local = (inside @ (shown - [500, 0]).T) / [[3], [1]]
    np.testing.assert_allclose(np.linalg.norm(local, axis=0), 100, rtol=1e-5)


def space(ride=None, *, part_of_it=4, **moth):
    ring = [{"x": x, "y": 1.0, "z": z} for x, z in ((0, 1), (1, 0), (0, -1), (-1, 0))]
    # handles of a circle's quarters
    k = 4 / 3 * np.tan(np.pi / 8)
    for point, (x, z) in zip(ring, ((k, 0), (0, -k), (-k, 0), (0, k)), strict=True):
        point["handle"] = [x, 0, z]
    parts = (
        part("ring", "way_3d", {"points": ring[:part_of_it], "closed": part_of_it == 4}),
        part("moth", "box", ride={"way": "ring", **(ride or {})}, **moth),
    )
    return Scene(name="S", kind="3d", parts=parts)


def test_in_space_its_front_goes_ahead_and_its_top_stays_up():
    found = places(space(values={"turn_y": 0}), "moth", along=SHARES)
    np.testing.assert_allclose(np.hypot(found["x"], found["z"]), 1, atol=3e-4)
    np.testing.assert_allclose(found["y"], 1, atol=1e-9)
    facing = matrices(quaternions(np.stack([found[f"turn_{axis}"] for axis in "xyz"])))
    ahead, up = facing[:, 2], facing[:, 1]
    np.testing.assert_allclose(up, np.tile([[0], [1], [0]], (1, len(SHARES))), atol=1e-6)
    angle = 2 * np.pi * SHARES
    np.testing.assert_allclose(ahead, [np.cos(angle), 0 * angle, -np.sin(angle)], atol=2e-3)


def test_it_leans_into_curves_by_as_much_as_is_said_on_a_circle():
    found = places(space({"leans": 30}), "moth", along=SHARES[:-1])
    facing = matrices(quaternions(np.stack([found[f"turn_{axis}"] for axis in "xyz"])))
    np.testing.assert_allclose(facing[1, 1], np.cos(np.radians(30)), atol=7e-3)  # a cubic's quarter bends unevenly
    inward = -np.stack([found["x"], 0 * found["x"], found["z"]])
    assert (np.sum(inward * facing[:, 1], axis=0) > 0.49).all()


def test_it_leans_half_as_much_on_half_a_circle_which_turns_half_as_far():
    found = places(space({"leans": 30}, part_of_it=3), "moth", along=SHARES)
    facing = matrices(quaternions(np.stack([found[f"turn_{axis}"] for axis in "xyz"])))
    np.testing.assert_allclose(facing[1, 1], np.cos(np.radians(15)), atol=7e-3)


def test_in_space_an_anchor_and_a_turn_of_its_own_are_kept():
    own = {"turn_x": 20, "turn_z": 50, "scale_x": 2, "scale_y": 3}
    scene = space({"faces": False}, values=own, anchor={"x": 0.1, "y": 0.2, "z": 0.3})
    found = places(scene, "moth", along=[0.25])
    turned = matrices(quaternions(np.array([[20.0], [0], [50]])))[..., 0]
    at = np.array([found[axis][0] for axis in "xyz"]) + turned @ [0.2, 0.6, 0.3]
    np.testing.assert_allclose(at, [1, 1, 0], atol=3e-4)
    np.testing.assert_allclose([found[f"turn_{axis}"][0] for axis in "xyz"], [20, 0, 50], atol=1e-9)


@given(st.lists(st.tuples(*[st.floats(-400, 400)] * 3), min_size=1, max_size=20))
def test_steady_turns_give_back_the_rotation_on_the_shortest_way(turns):
    steps = np.cumsum(np.clip(np.array(turns), -20, 20), axis=0).T
    rotations = matrices(quaternions(steps))
    found = steady_turns(rotations)
    np.testing.assert_allclose(matrices(quaternions(found)), rotations, atol=1e-6)


def test_a_turn_through_straight_up_goes_on():
    steps = np.stack([np.zeros(200), np.linspace(0, 360, 200), np.zeros(200)])
    found = steady_turns(matrices(quaternions(steps)))
    assert max(np.abs(b - a).max() for a, b in pairwise(found.T)) < 5
    np.testing.assert_allclose(found[:, -1] - found[:, 0], [0, 360, 0], atol=1e-6)


def test_at_rest_it_stands_on_its_way():
    scene = flat(moth={"anchor": {"x": 50, "y": 60}, "values": {"along": 0.5}})
    moth = scene.at_rest.part("moth")
    assert [round(float(moth.own(name)), 3) for name in ("x", "y", "turn")] == [-150, -60, -90]
    held = scene.but(limits=({"target": "moth:x", "low": -20, "high": 20},)).at_rest.part("moth")
    assert held.own("x") == -20
    assert scene.part("moth").own("x") == 0 and flat().but(parts=(part("ring", "ellipse"),)).at_rest


@pytest.mark.parametrize("make", [flat, lambda: Scene(name="S", parts=(part("ring", "ellipse"),))])
def test_scenes_that_were_looked_at_are_equal_all_the_same(make):
    one, other = make(), make()
    assert one.at_rest is not None and other.at_rest == one.at_rest
    assert one == other and one != other.but(name="Another")


def test_a_way_without_length_leaves_it_on_its_point():
    scene = Scene(
        name="S",
        parts=(
            part("dot", "way", {"points": [{"x": 5, "y": 6}, {"x": 5, "y": 6}]}),
            part("moth", "ellipse", ride={"way": "dot"}),
        ),
    )
    found = places(scene, "moth", along=[0.0, 0.5, 1.0])
    assert found["x"].tolist() == [5] * 3 and found["y"].tolist() == [6] * 3 and not found["turn"].any()


@pytest.mark.parametrize(
    ("parts", "words"),
    [
        ([part("moth", "ellipse", ride={"way": "gone"})], "a part of the scene"),
        ([part("moth", "ellipse", ride={"way": "moth"})], "a way that does not move with it"),
        (
            [part("moth", "group", ride={"way": "ring"}), part("ring", "ellipse", parent="moth")],
            "a way that does not move with it",
        ),
        ([part("glow", "text"), part("moth", "ellipse", ride={"way": "glow"})], "a way, or a shape with an outline"),
        ([part("ring", "ellipse"), part("other", "way", ride={"way": "ring"})], "a way only of what has a place"),
        (
            [
                part("row", "array"),
                part("ring", "ellipse", parent="row"),
                part("moth", "ellipse", ride={"way": "ring"}),
            ],
            "a way that lies in no array",
        ),
        (
            [
                part("ring", "ellipse"),
                part("flat", "group", values={"scale_x": 0}),
                part("moth", "ellipse", parent="flat", ride={"way": "ring"}),
            ],
            "something that has a size",
        ),
    ],
)
def test_what_is_no_way_is_refused_by_its_name(parts, words):
    with pytest.raises(InvalidParameter, match=words):
        Scene(name="S", parts=tuple(parts))


def test_a_way_of_one_point_is_refused_beside_its_field():
    project = Project(name="N", scene=Scene(name="S", parts=(part("way", "way"),)))
    edit = SetField(owner="part", id="way", path="shape.params.points", value=[{"x": 1}])
    with pytest.raises(InvalidParameter, match="Points is .* at least 2"):
        edit.apply(project)


def test_what_moves_along_a_way_cannot_follow_something_else_too():
    scene = flat(parts=(part("lamp", "ellipse"),))
    with pytest.raises(InvalidParameter, match="moves along Ring"):
        scene.but(follows=({"target": "moth:x", "source": "lamp:x"},))
    with pytest.raises(InvalidParameter, match="follows"):
        scene.but(follows=({"target": "moth:along", "source": "moth:x"},))


def test_a_way_that_is_used_goes_only_with_what_moves_along_it():
    limits = ({"target": "moth:along", "high": 0.5}, {"target": "moth:x", "high": 9})
    project = Project(name="N", scene=flat().but(limits=limits))
    with pytest.raises(FernTideError, match="Ring is the way of Moth"):
        RemovePart(id="ring").apply(project)
    left = RemovePart(id="ring", with_users=True).apply(project)
    assert left.scene.part("moth").ride is None and not left.scene.grounds
    assert [str(limit.target) for limit in left.scene.limits] == ["moth:x"]


def test_who_leaves_its_way_loses_what_it_had_only_there():
    scene = flat(moth={"values": {"along": 0.5, "beside": 3, "turn": 10}})
    limits = ({"target": "moth:along", "low": 0.1, "high": 0.9},)
    project = Project(name="N", scene=scene.but(limits=limits))
    left = SetField(owner="part", id="moth", path="ride", value=None).apply(project).scene
    assert left.part("moth").values == {"turn": 10} and not left.limits and not left.part("moth").has("along")


def test_files_carry_where_it_is_and_only_lists_of_numbers_what_moves_it():
    moth = flat().part("moth")
    for spec in FORMATS.values():
        assert spec.carries(moth, "x", spec.params()) or spec.of_moments or "2d" not in spec.spaces
        assert spec.carries(moth, "along", spec.params()) == spec.numbers_only
    lists = {"css", "csv", "json", "midi", "waapi", "xlsx"}
    assert {spec.id for spec in FORMATS.values() if spec.numbers_only} == lists
    assert Target.parse("moth:along") not in flat().grounds


def test_a_drawing_with_a_way_beside_it_goes_home_letter_for_letter():
    beside = (part("line", "way"), part("numbers", "dial"))
    moved = (("sprig:x", 0, 30), ("numbers:number_1", 0, 1))
    ways = leaf(*moved, more=beside)
    assert write(ways, format=FORMATS["svg"]).content == write(leaf(moved[0]), format=FORMATS["svg"]).content
    assert b"data-own='kept'" in write(ways, format=FORMATS["svg"]).content


def test_a_course_that_was_asked_for_one_thing_answers_another():
    scene = flat()
    one, other = (places(scene, "moth", along=[share]) for share in (0.0, 0.25))
    assert one["x"][0] == pytest.approx(50) and other["x"][0] == pytest.approx(-50)
    beside = places(scene, "moth", along=[0.0], beside=[10.0])
    assert beside["x"][0] == pytest.approx(40)

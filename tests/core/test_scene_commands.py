"""Edits of the scene, named in the user's words."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.commands.registry import read_command
from fern_tide.core.scene.svg.geometry import matrix_of, place
from fern_tide.demo.project import bench_project, demo_project, wall_project

PROJECT, BENCH = demo_project(), bench_project()
NUMBERS = st.floats(-200, 200).map(lambda value: round(value, 2))


def command(kind, **fields):
    return read_command({"kind": kind, **fields})


def at(text):
    part, name = text.split(":")
    return {"part": part, "property": name}


def part_json(project, part_id, **changes):
    return project.scene.part(part_id).model_dump(mode="json") | changes


NEW = {"id": "star", "name": "Star", "shape": {"id": "star"}}


@pytest.mark.parametrize(
    ("label", "made"),
    [
        ("Add Star", command("put_part", part=NEW)),
        ("Rename Rain to Drizzle", command("put_part", part=part_json(PROJECT, "rain", name="Drizzle"))),
        ("Change Rain", command("put_part", part=part_json(PROJECT, "rain", values={}))),
        ("Set the turn of Lamp", command("set_value", target=at("lamp:turn"), value=3)),
        ("Put the anchor of Lamp at its bottom", command("set_anchor", id="lamp", anchor={"y": 5, "word": "bottom"})),
        ("Move Rain in the tree", command("arrange_part", id="rain", parent="lamp", place=0)),
        ("Remove Title", command("remove_part", id="title")),
        (
            "Let the turn of Moth one follow the turn of Lamp",
            command("put_follow", follow={"target": at("moth-one:turn"), "source": at("lamp:turn")}),
        ),
        ("Limit the turn of Lamp", command("put_limit", limit={"target": at("lamp:turn"), "low": -3})),
        ("Change the stage's background", command("set_stage", background="#ffffff")),
        ("Change the stage's size", command("set_stage", width=640)),
        ("Show or hide the floor", command("set_stage", floor=False)),
    ],
)
def test_an_edit_is_named_in_the_users_words_and_leaves_the_document_before_alone(label, made):
    before = PROJECT.model_dump_json()
    assert made.label(PROJECT) == label
    assert made.apply(PROJECT) != PROJECT
    assert PROJECT.model_dump_json() == before


def test_a_value_that_is_the_default_is_not_kept():
    turned = command("set_value", target=at("lamp:turn"), value=3).apply(PROJECT)
    assert turned.scene.part("lamp").values == {"turn": 3}
    for value in (None, 0):
        assert command("set_value", target=at("lamp:turn"), value=value).apply(turned).scene == PROJECT.scene


def test_parts_are_arranged_with_all_that_is_inside():
    ids = [part.id for part in PROJECT.scene.parts]
    moved = command("arrange_part", id="lamp", parent=None, place=0).apply(PROJECT).scene
    assert [part.id for part in moved.parts][:4] == ["lamp", "lamp-cord", "lamp-glow", "lamp-bulb"]
    assert sorted(part.id for part in moved.parts) == sorted(ids)
    inside = command("arrange_part", id="rain", parent="cloches", place=3).apply(PROJECT).scene
    names = [part.id for part in inside.parts]
    assert names[names.index("rain") + 1] == "cloche-4" and inside.part("rain").parent == "cloches"
    last = command("arrange_part", id="panes", parent=None, place=99).apply(PROJECT).scene
    assert [part.id for part in last.parts][-3:] == ["panes", "glass", "frame"]
    with pytest.raises(FernTideError, match="cannot go into itself"):
        command("arrange_part", id="lamp", parent="lamp-bulb", place=0).apply(PROJECT)


def test_a_driven_part_is_removed_only_with_what_moves_it():
    with pytest.raises(FernTideError, match="Fronds is moved by Frond sway"):
        command("remove_part", id="fronds").apply(PROJECT)
    gone = command("remove_part", id="fronds", with_users=True).apply(PROJECT)
    assert "Frond sway" not in [mapping.name for mapping in gone.mappings]
    assert not any(part.id.startswith("frond") for part in gone.scene.parts)
    one = command("remove_part", id="cloche-3", with_users=True).apply(PROJECT)
    assert len(one.mapping("cloche-tops").drives) == 9


def test_what_follows_or_limits_a_part_goes_with_it():
    tied = command("put_follow", follow={"target": at("moth-one:turn"), "source": at("title:turn")}).apply(PROJECT)
    tied = command("put_limit", limit={"target": at("title:turn"), "high": 4}).apply(tied)
    with pytest.raises(FernTideError, match="Title is followed by the turn of Moth one"):
        command("remove_part", id="title").apply(tied)
    gone = command("remove_part", id="title", with_users=True).apply(tied)
    assert gone.scene.follows == () and gone.scene.limits == ()
    freed = command("remove_follow", target=at("moth-one:turn")).apply(tied)
    assert freed.scene.follows == ()
    open_again = command("put_limit", limit={"target": at("title:turn")}).apply(tied)
    assert open_again.scene.limits == ()


def driving(project, *targets):
    """Give a mapping like the first one of a project that drives other properties."""
    drives = [{"target": target, "rest": 0.0, "full": 1.0} for target in targets]
    return {**project.mappings[0].model_dump(mode="json"), "id": "another", "name": "Another", "drives": drives}


def placed(project, part_id, values, point):
    """Where a point of a part lies in what the part lies in, for values of its place."""
    part = project.scene.part(part_id)
    numbers = [values.get(name, part.own(name)) for name in ("x", "y", "turn", "scale_x", "scale_y")]
    a, b, c, d, e, f = matrix_of(place(numbers, anchor=(part.anchor.x, part.anchor.y), base=""))
    return a * point[0] + c * point[1] + e, b * point[0] + d * point[1] + f


@given(
    x=NUMBERS, y=NUMBERS, turn=NUMBERS, wide=NUMBERS, new=st.tuples(NUMBERS, NUMBERS), point=st.tuples(NUMBERS, NUMBERS)
)
def test_changing_an_anchor_never_moves_the_part(x, y, turn, wide, new, point):
    project = PROJECT
    for name, value in (("x", x), ("y", y), ("turn", turn), ("scale_x", wide)):
        project = command("set_value", target=at(f"lamp-bulb:{name}"), value=value).apply(project)
    moved = command("set_anchor", id="lamp-bulb", anchor={"x": new[0], "y": new[1], "word": "free"}).apply(project)
    before, after = placed(project, "lamp-bulb", {}, point), placed(moved, "lamp-bulb", {}, point)
    np.testing.assert_allclose(after, before, atol=0.05 + 2e-6 * abs(wide) * 400)


def test_a_driven_place_stays_at_rest_where_it_was_when_the_anchor_moves():
    """Fronds turn at rest and rain is driven down: their ends move with the anchor."""
    moved = command("set_anchor", id="frond-left", anchor={"x": 100, "y": 100, "word": "free"}).apply(PROJECT)
    rest = {
        drive.target.property: drive.rest
        for drive in PROJECT.mapping("frond-sway").drives
        if drive.target.part == "frond-left"
    }
    for point in ((0, 0), (700, 300)):
        np.testing.assert_allclose(
            placed(moved, "frond-left", rest, point), placed(PROJECT, "frond-left", rest, point), atol=0.02
        )
    turned = command("set_value", target=at("rain:turn"), value=30).apply(PROJECT)
    shifted = command("set_anchor", id="rain", anchor={"x": 0, "y": 0, "word": "top left"}).apply(turned)
    (down,) = [d for d in shifted.mapping("rain-on-glass").drives if d.target.property == "y"]
    assert down.full - down.rest == pytest.approx(46)
    assert down.rest == pytest.approx(shifted.scene.part("rain").own("y"))


def test_in_3d_an_anchor_is_only_noted():
    moved = command("set_anchor", id="cloche-1", anchor={"y": 0.3, "word": "top"}).apply(BENCH)
    assert moved.scene.part("cloche-1").values == BENCH.scene.part("cloche-1").values
    assert moved.mappings == BENCH.mappings


@pytest.mark.parametrize(
    ("made", "why"),
    [
        (command("put_part", part=NEW | {"shape": {"id": "box"}}), "a part of a 2d scene"),
        (command("put_part", part=NEW | {"parent": "nobody"}), "a part that comes before"),
        (command("set_value", target=at("lamp:fill"), value="#ffffff"), "no property named fill"),
        (command("set_value", target=at("rain:stroke"), value=3), "a colour"),
        (command("remove_part", id="nobody"), "no part named nobody"),
        (command("set_plays", file="f", plays=False), "no file f"),
        (command("set_stage", width=3), "Width"),
    ],
)
def test_an_edit_that_cannot_be_is_refused(made, why):
    with pytest.raises(FernTideError, match=why):
        made.apply(PROJECT)


def test_a_part_that_loses_properties_lets_go_of_what_moved_them_and_of_nothing_else():
    project = wall_project()
    field = {"owner": "part", "id": "panes", "path": "shape.params.layout.id"}
    ring = {"id": "ring", "params": {"count": 9}}
    drives = [drive.target for mapping in project.mappings for drive in mapping.drives]
    gap = command("put_mapping", mapping=driving(project, "panes:gap_x", "panes:piece_x"))
    limited = command("put_limit", limit={"target": "panes:gap_x", "low": 0.0})
    before = limited.apply(gap.apply(project))
    after = command("set_field", **{**field, "path": "shape.params.layout"}, value=ring).apply(before)
    moved = [str(drive.target) for mapping in after.mappings for drive in mapping.drives]
    assert moved == [*map(str, drives), "panes:piece_x"] and not after.scene.limits
    panes = after.scene.part("panes")
    assert "gap_x" not in panes.values and panes.values["reach1_outer"] == 2.2 and panes.shape.params.n_pieces == 9
    assert before.scene.part("panes").values["gap_x"] == 0.13


def test_a_value_of_a_property_that_a_part_never_had_is_refused():
    project = wall_project()
    with pytest.raises(FernTideError, match="shine"):
        command("put_part", part=part_json(project, "panes", values={"shine": 1.0})).apply(project)

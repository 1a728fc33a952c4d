"""Which parts look like one another, lie in a box, or are all the others; worked out by hand."""

import pytest

from fern_tide.core.base.errors import InvalidParameter, UnknownName
from fern_tide.core.scene.alike import all_like, all_others, enclosed
from fern_tide.core.scene.extent import Extent
from fern_tide.core.scene.scene import Part, PartChoice, Scene
from fern_tide.core.scene.selection import Selection

BOXES = {
    "bar-1": (0.1, 0.5, 0.14, 0.9),
    "bar-2": (0.2, 0.2, 0.24, 0.9),
    "loose": (0.3, 0.6, 0.345, 0.9),  # as wide within a quarter, up to four times less tall: painted alike
    "wide": (0.0, 0.0, 0.9, 0.4),
    "other-paint": (0.4, 0.5, 0.44, 0.9),
    "dot": (0.5, 0.5, 0.52, 0.52),
    "blob": (0.6, 0.5, 0.68, 0.7),  # twice as wide and half as tall as a bar
}
EXTENTS = {name: Extent(box, None, (box[0], box[1])) for name, box in BOXES.items()}


def part(id_, name, kind="rectangle", parent=None, **values):
    shape = PartChoice.model_validate({"id": kind})
    return Part(id=id_, name=name, shape=shape, values=values, parent=parent)


def scene(*more):
    green = {"fill": "#3e6b3a"}
    return Scene(
        name="S",
        parts=(
            part("bars", "Bars", "group"),
            part("bar-1", "Bar 1", parent="bars", **green),
            part("bar-2", "Bar 2", parent="bars", fill="#ffffff"),
            part("loose", "Rectangle 7", **green),
            part("wide", "Sky", **green),
            part("other-paint", "Rectangle 8", fill="#c4572e"),
            part("dot", "Rectangle 9", **green),
            part("hidden", "Bar 3", **green),
            part("blob", "Rectangle 10", **green),
            *more,
        ),
    )


def test_names_that_differ_by_a_number_are_alike_and_so_is_what_is_painted_alike_and_of_much_the_same_size():
    assert all_like(scene(), "bar-1", extents=EXTENTS) == ["bar-1", "bar-2", "loose", "hidden"]


def test_names_that_a_reader_gives_say_nothing():
    assert all_like(scene(), "loose", extents=EXTENTS) == ["bar-1", "loose"]
    assert all_like(scene(), "other-paint", extents=EXTENTS) == ["other-paint"]
    assert all_like(scene(), "dot", extents=EXTENTS) == ["dot"]
    with pytest.raises(UnknownName, match="no part named gone"):
        all_like(scene(), "gone", extents=EXTENTS)


def test_a_box_takes_what_lies_in_it_whole_and_not_what_lies_inside_that_once_more():
    extents = EXTENTS | {"bars": Extent((0.1, 0.2, 0.24, 0.9), None, (0, 0))}
    assert enclosed(scene(), (0.05, 0.1, 0.36, 0.95), extents=EXTENTS) == ["bar-1", "bar-2", "loose"]
    assert enclosed(scene(), (0.05, 0.1, 0.36, 0.95), extents=extents) == ["bars", "loose"]
    assert enclosed(scene(), (0.11, 0.1, 0.36, 0.95), extents=EXTENTS) == ["bar-2", "loose"]
    assert enclosed(scene(), (0.6, 0.6, 0.7, 0.7), extents=EXTENTS) == []
    assert enclosed(scene(), BOXES["blob"], extents=EXTENTS) == ["blob"], "edge on edge is inside"


def test_the_others_are_those_that_hold_nothing_can_be_seen_and_are_not_in_what_is_chosen():
    assert all_others(scene(), frozenset({"loose"}), extents=EXTENTS) == [
        "bar-1",
        "bar-2",
        "wide",
        "other-paint",
        "dot",
        "blob",
    ]
    assert all_others(scene(), frozenset({"bars", "dot"}), extents=EXTENTS) == ["loose", "wide", "other-paint", "blob"]


def test_a_selection_has_parts_of_the_scene_and_loses_what_goes():
    one = Selection(id="two", name="Two", parts=("bar-1", "dot"))
    assert scene().but(selections=(one,)).selections == (one,)
    with pytest.raises(InvalidParameter, match="parts of the scene"):
        scene().but(selections=(one.model_copy(update={"parts": ("bar-1", "gone")}),))
    assert one.within({"bar-1", "dot", "x"}) is one
    assert one.within({"dot"}).parts == ("dot",) and one.within(set()) is None

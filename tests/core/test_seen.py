"""Edits that were meant for what was seen of an older document: they meet the same entry wherever it is, or none."""

import pytest
from tests.core.scene.test_poses import ROW, part, posed, project

from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.commands.registry import read_command
from fern_tide.demo.project import demo_project

START = demo_project()
MAPPING = START.mappings[0].id
BELLS = [{"id": "smooth", "params": {"width_ms": width}} for width in (10, 20, 30)]


def edited(document, *plain):
    for one in plain:
        document = read_command(one).apply(document)
    return document


def edit(kind, path, **values):
    return {"kind": kind, "owner": "envelope", "id": START.envelopes[0].id, "path": path, **values}


def widths(document):
    return [one.params.width_ms for one in document.envelopes[0].clean_up]


SEEN = edited(START, edit("set_field", "clean_up", value=BELLS))
OLD = {7: SEEN}


def on(document, plain):
    """Do an edit that was meant for the document of revision 7."""
    return read_command({**plain, "seen": 7}).as_seen(OLD.__getitem__, document).apply(document)


def drop(place):
    return edit("change_list", f"clean_up.{place}", how="drop")


def widen(place, to=99):
    return edit("set_field", f"clean_up.{place}.params.width_ms", value=to)


@pytest.mark.parametrize(
    ("before", "meant", "outcome"),
    [
        ([], widen(1), [10, 99, 30]),
        ([drop(0)], widen(1), [99, 30]),
        ([drop(0)], widen(2), [20, 99]),
        ([drop(2)], widen(0), [99, 20]),
        ([drop(0)], drop(1), [30]),
        ([drop(0), drop(0)], widen(2), [99]),
        ([edit("change_list", "clean_up.0", how="move", to=2)], widen(0), [20, 30, 99]),
        ([edit("change_list", "clean_up.0", how="twice")], widen(1), [10, 10, 99, 30]),
        ([widen(1, 21)], widen(1), [10, 99, 30]),
        ([widen(0, 11), widen(1, 21)], widen(1), [11, 99, 30]),
        ([edit("set_field", "name", value="Other")], widen(1), [10, 99, 30]),
    ],
)
def test_an_edit_meets_the_row_that_was_seen(before, meant, outcome):
    assert widths(on(edited(SEEN, *before), meant)) == outcome


@pytest.mark.parametrize("before", [[drop(1)], [widen(1, 21), drop(0)]])
def test_what_is_not_there_or_may_be_anywhere_is_refused_and_its_neighbour_left_alone(before):
    with pytest.raises(FernTideError, match="not where it was"):
        on(edited(SEEN, *before), widen(1))


def test_a_row_whose_thing_became_another_is_looked_for_no_further():
    other = edited(SEEN, edit("set_field", "clean_up", value=[{"id": "hold", "params": {}}, *BELLS[1:]]))
    with pytest.raises(InvalidParameter):
        on(other, widen(0))


def test_without_what_was_seen_a_path_is_one_of_the_document_that_is_edited():
    now = edited(SEEN, drop(0))
    assert widths(edited(now, widen(1))) == [20, 99]
    assert widths(edited(now, {"kind": "together", "words": "Both", "commands": [widen(0, 1), widen(1, 2)]})) == [1, 2]


def test_several_edits_as_one_are_each_meant_for_what_was_seen():
    both = {"kind": "together", "words": "Both", "commands": [{**widen(1, 1), "seen": 7}, {**widen(2, 2), "seen": 7}]}
    now = edited(SEEN, drop(0))
    assert widths(read_command(both).as_seen(OLD.__getitem__, now).apply(now)) == [1, 2]


def test_an_edit_inside_a_list_of_a_list_follows_both():
    layers = [{"id": "wobble", "params": {}}, {"id": "take_turns", "params": {}}]
    path = "steps.0.on"
    whose = {"owner": "mapping", "id": MAPPING}
    seen = edited(START, {"kind": "set_field", **whose, "path": "steps", "value": layers})
    now = edited(seen, {"kind": "change_list", **whose, "path": "steps.0", "how": "move", "to": 1})
    plain = {"kind": "set_field", **whose, "path": path, "value": False, "seen": 1}
    done = read_command(plain).as_seen({1: seen}.__getitem__, now).apply(now)
    assert [(step.id, step.on) for step in done.mappings[0].steps] == [("take_turns", True), ("wobble", False)]


@pytest.mark.parametrize("kind", ["take_pose", "update_pose"])
def test_a_pose_is_met_where_it_is_now(kind):
    seen = posed(project(part("moth")), {"x": 0}, {"x": 10}, {"x": -10})
    gone = {"kind": "change_list", "owner": "part", "id": ROW, "path": "shape.params.poses.0", "how": "drop"}
    now = edited(seen, gone)
    meant = {"kind": kind, "id": ROW, "place": 2, "seen": 3}
    done = read_command(meant).as_seen({3: seen}.__getitem__, now).apply(now)
    direct = read_command({**meant, "place": 1, "seen": None}).apply(now)
    assert done == direct
    with pytest.raises(FernTideError, match="not where it was"):
        read_command({**meant, "place": 0}).as_seen({3: seen}.__getitem__, now)
    with pytest.raises(FernTideError, match="not where it was"):
        read_command({**meant, "place": 5}).as_seen({3: seen}.__getitem__, now)

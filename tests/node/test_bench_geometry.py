"""The pure geometry of the Bench, called in the browser as its views call it."""

import pytest

LANE = {"low": -60, "high": 0, "height": 60, "pad": 5}


def test_rows_are_clipped_to_the_lane(modules):
    assert modules("lane", "row", 99, LANE) == 5
    assert modules("lane", "row", -999, LANE) == 55


def test_the_nearer_mark_is_taken_and_only_within_reach(modules):
    axis = {"low": 0, "high": 1, "height": 110, "pad": 5}
    marks = {"low": 0.2, "high": 0.8}
    assert modules("lane", "markNear", 25, marks, axis) == "high"
    assert modules("lane", "markNear", 86, marks, axis) == "low"
    assert modules("lane", "markNear", 55, marks, axis) is None


def test_handles_of_a_curve_lie_where_it_goes_and_are_moved_within_their_neighbours(modules):
    drawn = {"id": "drawn", "params": {"points": "0.3 0.1, 0.7 0.9"}}
    bezier = {"id": "bezier", "params": {"x1": 0.4, "y1": 0, "x2": 0.2, "y2": 1}}
    assert modules("benders", "handlesOf", drawn) == [[0.3, 0.1], [0.7, 0.9]]
    assert modules("benders", "handlesOf", bezier) == [[0.4, 0], [0.2, 1]]
    assert modules("benders", "handlesOf", {"id": "straight", "params": {}}) == []
    assert modules("benders", "bent", drawn, 0, [0.9, 0.5])["params"]["points"] == "0.695 0.5, 0.7 0.9"
    assert modules("benders", "bent", drawn, 1, [-1, 9])["params"]["points"] == "0.3 0.1, 0.305 4"
    assert modules("benders", "bent", bezier, 1, [1.5, -0.25])["params"] == {"x1": 0.4, "y1": 0, "x2": 1, "y2": -0.25}
    assert modules("benders", "withPoint", drawn, [0.5, 0.6])["params"]["points"] == "0.3 0.1, 0.5 0.6, 0.7 0.9"
    assert modules("benders", "withoutPoint", drawn, 0)["params"]["points"] == "0.7 0.9"
    lane = {"low": 0.2, "high": 0.6, "axis": [0, 1]}
    size = {"width": 100, "height": 130}
    assert modules("benders", "placeAt", 40, 66, size, lane) == pytest.approx([0.5, 0.5])


def test_what_a_lane_says_of_values_and_of_what_is_measured(modules):
    curve = {"kind": "number", "values": [0.254, -0.001, 12.345, 1234.5]}
    said = [modules("lanes", "valueWords", curve, frame, "px") for frame in range(4)]
    assert said == ["0.25 px", "0.00 px", "12.3 px", "1235 px"]
    assert modules("lanes", "valueWords", None, 0) == "" and modules("lanes", "valueWords", curve, 9) == ""
    colour = {"kind": "colour", "values": [[1.0], [0.5], [0.0]]}
    assert modules("lanes", "valueWords", colour, 0) == "#ff8000"
    assert modules("lanes", "apartWords", 10, 34, [24, 1]) == "24 frames, 1000 ms"
    assert modules("lanes", "apartWords", 5, 4, [25, 1]) == "-1 frame, -40 ms"


def test_lists_are_put_in_order_and_searched(modules):
    assert modules("drawer", "isFound", "take turns goes to the other side", "TURN  goes") is True
    assert modules("drawer", "isFound", "take turns", "spring") is False
    assert [modules("order", "placeUnder", y, [10, 30]) for y in (5, 20, 40)] == [0, 1, 2]


def test_a_lane_has_room_for_what_goes_on_above_full(modules):
    assert modules("lane", "spanOf", {"value": [0, 0.5, 1]}) == {"low": 0, "high": 1}
    assert modules("lane", "spanOf", {"value": [0, 1.1]}) == {"low": 0, "high": 1}  # an overshoot is no build-up
    assert modules("lane", "spanOf", {"value": [0, -0.5], "sum": [4]}) == {"low": -1, "high": 4}

"""The curve under the hand: which keys a pointer meets, and where they go when they are dragged."""

PLOT = {"low": 0, "high": 10, "from": 0, "to": 20, "width": 200, "height": 120, "pad": 10}
KEYS = {"frames": [2, 6, 7, 15], "values": [0, 5, 10, 5]}


def test_the_nearest_key_within_reach_is_met(modules):
    # frame 6, its middle at 65 px, and value 5, in the middle of 100 px between the pads
    assert modules("keys_plot", "keyNear", {"x": 65, "y": 60}, KEYS, PLOT) == 1
    assert modules("keys_plot", "keyNear", {"x": 70, "y": 56}, KEYS, PLOT) == 1
    assert modules("keys_plot", "keyNear", {"x": 75, "y": 15}, KEYS, PLOT) == 2
    assert modules("keys_plot", "keyNear", {"x": 65, "y": 75}, KEYS, PLOT) == -1


def test_a_rectangle_meets_the_keys_in_it_whichever_way_it_is_drawn(modules):
    corners = {"x": 60, "y": 5}, {"x": 80, "y": 65}
    assert modules("keys_plot", "keysWithin", *corners, KEYS, PLOT) == [1, 2]
    assert modules("keys_plot", "keysWithin", *corners[::-1], KEYS, PLOT) == [1, 2]
    assert modules("keys_plot", "keysWithin", {"x": 0, "y": 0}, {"x": 5, "y": 5}, KEYS, PLOT) == []


def test_dragged_keys_stay_in_time_and_go_over_others(modules):
    moved = modules("keys_plot", "draggedKeys", KEYS, {"set": [6]}, {"frames": 2, "value": 1})
    assert moved == {"frames": [2, 7, 8, 15], "values": [0, 10, 6, 5]}
    over = modules("keys_plot", "draggedKeys", KEYS, {"set": [6]}, {"frames": 1, "value": 0})
    assert over == {"frames": [2, 7, 15], "values": [0, 5, 5]}
    far = modules("keys_plot", "draggedKeys", KEYS, {"set": [2, 6]}, {"frames": 10, "value": 0})
    assert far["frames"] == [7, 12, 15, 16]


def test_a_point_is_a_frame_and_a_value(modules):
    assert modules("keys_plot", "under", {"x": 65, "y": 60}, PLOT) == {"frame": 6, "value": 5}
    assert modules("keys_plot", "under", {"x": 0, "y": 110}, PLOT) == {"frame": -0.5, "value": 0}

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


def test_edited_keys_stay_in_time_and_go_over_others(modules):
    moved = modules("keys_plot", "editedKeys", KEYS, {"set": [6]}, {"by_frames": 2, "by_value": 1})
    assert moved == {"frames": [2, 7, 8, 15], "values": [0, 10, 6, 5]}
    over = modules("keys_plot", "editedKeys", KEYS, {"set": [6]}, {"by_frames": 1})
    assert over == {"frames": [2, 7, 15], "values": [0, 5, 5]}
    far = modules("keys_plot", "editedKeys", KEYS, {"set": [2, 6]}, {"by_frames": 10})
    assert far["frames"] == [7, 12, 15, 16]
    gone = modules("keys_plot", "editedKeys", KEYS, {"set": [6, 15]}, {"remove": True})
    assert gone == {"frames": [2, 7], "values": [0, 10]}
    more = modules("keys_plot", "editedKeys", KEYS, {"set": []}, {"add": [[9, 3], [2, 1]]})
    assert more == {"frames": [2, 6, 7, 9, 15], "values": [1, 5, 10, 3, 5]}


def test_a_point_is_a_frame_and_a_value(modules):
    assert modules("keys_plot", "under", {"x": 65, "y": 60}, PLOT) == {"frame": 6, "value": 5}
    assert modules("keys_plot", "under", {"x": 0, "y": 110}, PLOT) == {"frame": -0.5, "value": 0}

"""What the page's scripts make of commands, files, levels and texts, called in Node."""

import numpy as np
import pytest


def test_points_of_a_drawn_curve_are_read_and_written(modules):
    assert modules("benders", "readPoints", "0.3 0.1, 0.7  0.9, 5") == [[0.3, 0.1], [0.7, 0.9]]
    assert modules("benders", "writePoints", [[0.30004, 0.1], [0.7, 0.9]]) == "0.3 0.1, 0.7 0.9"


def test_a_box_that_is_drawn_is_a_band_whichever_way_it_is_drawn(modules):
    down, up = (modules("bands_hand", "drawnBand", *rows, 200) for rows in ((50, 120), (120, 50)))
    assert down == up and down["id"] is None and 25 < down["low"] < down["high"] < 20_000
    thin = modules("bands_hand", "drawnBand", 199, 200, 200)
    assert thin["high"] > thin["low"] >= 20


def test_a_command_is_of_the_level_or_not(modules):
    tune = {"kind": "set_field", "owner": "envelope", "id": "kick", "path": "reading.params.low_hz", "value": 30}
    assert modules("envelope_trace", "isOfLevel", tune) and modules(
        "envelope_trace", "isOfLevel", {"kind": "add_envelope"}
    )
    assert modules("envelope_trace", "isOfLevel", {"kind": "together", "commands": [{"kind": "set_rate"}, tune]})
    assert not modules("envelope_trace", "isOfLevel", {"kind": "set_field", "owner": "marker"})
    assert not modules("envelope_trace", "isOfLevel", {"kind": "together", "commands": [{"kind": "set_rate"}]})


def test_files_begin_a_project_by_their_scene_or_by_their_sound(modules):
    files = [[{"name": name}] for name in ("a.SVG", "b.glb", "c.jpeg", "d.wav", "svg.mp3", "e.ferntide")]
    assert [modules("projects", "isScene", item) for item in files] == [True, True, True, False, False, False]
    assert modules("projects", "isScene", [{"name": "scene.bin"}, {"name": "scene.gltf"}])


def test_a_number_in_the_tree_has_three_digits_that_count(modules):
    assert [modules("stage_room", "shortNumber", value) for value in (0.1234, -12.345, 1234.5)] == [
        "0.12",
        "-12.3",
        "1235",
    ]


def test_a_level_is_taken_out_of_its_pack(modules):
    head = {"raw": 1, "cleaned": 0, "cleaned_db": 2, "rows": [], "floor": 0, "top": 1, "loudest_db": -3, "marks": []}
    level = modules("trace", "levelOf", {"head": head, "arrays": ["c", "r", "d"]})
    assert (level["raw"], level["cleaned"], level["db"], level["loudest"]) == ("r", "c", "d", -3)


def test_a_mark_dragged_out_of_its_lane_is_set_to_what_a_mark_can_be(modules):
    values = [modules("sheet", "markValue", *given) for given in (("low", -0.3, "linear"), ("high", -0.3, "linear"))]
    assert values == [0, 1e-5]
    assert modules("sheet", "markValue", "low", 99, "linear") == 16
    assert modules("sheet", "markValue", "low", 0.123456789, "linear") == 0.1234568
    assert [modules("sheet", "markValue", "low", db, "db") for db in (-300, -33.3, 50)] == [
        "-120.000dB",
        "-33.300dB",
        "24.000dB",
    ]


@pytest.mark.parametrize("turn", [0.0, 0.6, -2.0])
def test_a_texture_lies_as_gltf_has_it_scaled_then_turned_then_moved(modules, turn):
    offset, size = (0.1, 0.2), (1.0, 2.5)
    move = np.array([[1, 0, offset[0]], [0, 1, offset[1]], [0, 0, 1]])
    about = np.array([[np.cos(turn), np.sin(turn), 0], [-np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
    place = {
        "offset": dict(zip("xy", offset, strict=True)),
        "repeat": dict(zip("xy", size, strict=True)),
        "rotation": turn,
    }
    expected = move @ about @ np.diag([*size, 1.0])  # KHR_texture_transform
    assert modules("stage3d_setters", "mapMatrix", place) == pytest.approx(expected.ravel())

"""The pure functions of the page's scripts, called in Node."""

import re

import numpy as np
import pytest

from fern_tide.core.scene.graphic import GraphicForm, outline
from fern_tide.core.scene.svg.geometry import place
from fern_tide.core.sound.spectrogram import HIGHEST_HZ, LOWEST_HZ, ROWS, row_edges_hz


def f32(*values):
    return {"float32": list(values)}


VIEW = {"from": 100, "to": 200, "width": 1000}


def test_a_frame_and_its_pixel_are_inverse(modules):
    assert modules("axis", "xOf", 150, VIEW) == 500
    assert modules("axis", "frameUnder", 500, VIEW) == 150
    assert modules("axis", "frameUnder", 509.9, VIEW) == 150


@pytest.mark.parametrize("about", [0, 0.25, 1])
def test_zooming_keeps_the_frame_under_the_pointer(modules, about):
    before = 100 + about * 100
    view = modules("axis", "zoomed", {"from": 100, "to": 200}, {"by": 0.5, "about": about, "frames": 1000})
    assert view["to"] - view["from"] == 50
    assert view["from"] + about * 50 == before


def test_zooming_stays_inside_the_project_and_never_below_a_few_frames(modules):
    wide = modules("axis", "zoomed", {"from": 0, "to": 500}, {"by": 9, "about": 0.5, "frames": 1000})
    assert wide == {"from": 0, "to": 1000}
    near = modules("axis", "zoomed", {"from": 10, "to": 20}, {"by": 0.01, "about": 0.5, "frames": 1000})
    assert near["to"] - near["from"] == 12
    short = modules("axis", "zoomed", {"from": 0, "to": 5}, {"by": 0.1, "about": 0.5, "frames": 5})
    assert short == {"from": 0, "to": 5}


def test_the_page_turns_when_the_playhead_leaves_it(modules):
    view = {"from": 100, "to": 200}
    assert modules("axis", "pageOf", 150, view, 1000) == view
    assert modules("axis", "pageOf", 200, view, 1000) == {"from": 195, "to": 295}
    assert modules("axis", "pageOf", 990, view, 1000) == {"from": 900, "to": 1000}


def test_ruler_ticks_leave_room_and_fall_on_whole_seconds(modules):
    wide = modules("axis", "ticks", {"from": 0, "to": 1349, "width": 980}, [30, 1])
    assert [tick["words"] for tick in wide][:3] == ["0:00", "0:05", "0:10"]
    near = modules("axis", "ticks", {"from": 0, "to": 20, "width": 980}, [30, 1])
    assert [tick["words"] for tick in near][:3] == ["0f", "2f", "4f"]
    ntsc = modules("axis", "ticks", {"from": 0, "to": 1079, "width": 980}, [24000, 1001])
    assert ntsc[1]["words"] == "0:05"
    assert ntsc[1]["frame"] == pytest.approx(5 * 24000 / 1001)


@pytest.mark.parametrize(
    ("frame", "rate", "words"),
    [
        (0, [30, 1], "00:00:00"),
        (366, [30, 1], "00:12:06"),
        (1800, [30, 1], "01:00:00"),
        (24, [24000, 1001], "00:01:00"),
        (23, [24000, 1001], "00:00:23"),
    ],
)
def test_the_clock_shows_minutes_seconds_and_frames(modules, frame, rate, words):
    assert modules("transport", "clockWords", frame, rate) == words


@pytest.mark.parametrize("rate", [[24000, 1001], [25, 1], [30000, 1001], [30, 1], [60000, 1001], [240, 1]])
def test_the_frame_at_a_frames_own_time_is_that_frame_for_hours(modules, rate):
    for frame in (0, 1, 7, 1001, 86_399, 240 * 3600 * 3 - 1):
        seconds = frame * rate[1] / rate[0]
        assert modules("transport", "frameAt", seconds, rate) == frame
        assert modules("transport", "frameAt", seconds + 0.99 * rate[1] / rate[0], rate) == frame


def test_a_loop_goes_back_at_its_end(modules):
    assert modules("transport", "looped", 30, [10, 30]) == 10
    assert modules("transport", "looped", 29, [10, 30]) == 29
    assert modules("transport", "looped", 3, [10, 30]) == 10
    assert modules("transport", "looped", 3, None) == 3


LANE = {"low": -60, "high": 0, "height": 60, "pad": 5}


@pytest.mark.parametrize("level", [-60, -31.5, 0])
def test_a_level_and_its_row_are_inverse(modules, level):
    assert modules("lane", "levelAt", modules("lane", "row", level, LANE), LANE) == pytest.approx(level)


def test_few_frames_are_points_and_many_are_columns_that_keep_every_extreme(modules):
    few = modules("lane", "columns", f32(0, 1, 2, 3), {"from": 1, "to": 3, "width": 100})
    assert few["dense"] is False
    assert few["xs"] == [-25, 25, 75, 125] and few["highs"] == [0, 1, 2, 3], "to both edges"
    values = [0.0] * 1000
    values[501], values[777] = 5.0, -3.0
    many = modules("lane", "columns", f32(*values), {"from": 0, "to": 1000, "width": 100})
    assert many["dense"] is True and len(many["xs"]) == 100
    assert many["highs"][50] == 5 and many["lows"][77] == -3
    assert sum(many["highs"]) == 5 and sum(many["lows"]) == -3


def test_dense_columns_join_and_are_as_thick_as_the_line(modules):
    shown = {"lows": [0, 8, 0], "highs": [0, 10, 0]}
    drawn = modules("lane", "bars", shown, {"low": 0, "high": 10, "height": 100, "pad": 0}, 2)
    assert drawn["tops"] == [99, 0, 20] and drawn["bottoms"] == [101, 100, 100]


def test_the_dot_runs_along_the_drawn_curve(modules):
    transfer = f32(0, 0, 1, 1)
    assert modules("sheet_plot", "along", transfer, 1.5, [0, 3]) == pytest.approx(0.5)
    assert modules("sheet_plot", "along", transfer, -9, [0, 3]) == 0
    assert modules("sheet_plot", "along", transfer, 9, [0, 3]) == 1
    share = modules("sheet_plot", "shareOf", -20, [-60, 0])
    assert modules("sheet_plot", "levelAtShare", share, [-60, 0]) == pytest.approx(-20)


@pytest.mark.parametrize(
    ("value", "limits", "settled"),
    [
        (1.234567, {"step": 0.01}, 1.2346),
        (7.6, {"whole": True, "step": 1}, 8),
        (-5, {"low": 0, "step": 0.01}, 0),
        (500, {"high": 64, "whole": True, "step": 1}, 64),
        (12.345, {"step": 5}, 12.35),
    ],
)
def test_a_number_is_brought_into_its_range(modules, value, limits, settled):
    assert modules("number_field", "settle", value, limits) == settled


def test_shift_steps_ten_times_and_alt_a_tenth(modules):
    steps = [modules("number_field", "notch", 0.5, keys) for keys in ({}, {"shiftKey": True}, {"altKey": True})]
    assert steps == [0.5, 5, 0.05]


def test_one_value_deep_inside_is_replaced_and_the_rest_is_shared(modules):
    plain = {"name": "a", "drives": [{"rest": 0}, {"rest": 1}]}
    assert modules("bound", "withPath", plain, "drives.1.rest", 7) == {
        "name": "a",
        "drives": [{"rest": 0}, {"rest": 7}],
    }
    assert modules("bound", "withPath", {"reading": {}}, "reading.params.low", 3) == {"reading": {"params": {"low": 3}}}
    assert plain["drives"][1] == {"rest": 1}


def test_a_fields_value_is_what_its_command_takes(modules):
    taken = [
        {"kind": "remove_part", "id": "a"},
        {"kind": "change_list", "how": "drop"},
        {"kind": "change_list", "how": "twice"},
        {},
    ]
    assert [modules("bound", "takesAway", plain) for plain in taken] == [True, True, False, False]
    assert modules("bound", "valueFor", {"suffix": "dB"}, -12) == "-12dB"
    assert modules("bound", "valueFor", {"plus": "1", "whole": ""}, 89) == 90  # the last frame of a range is in it
    assert modules("bound", "valueFor", {"whole": ""}, "2") == 2
    assert modules("bound", "valueFor", {"nullable": ""}, "") is None
    assert modules("bound", "valueFor", {"nullable": ""}, "–") is None
    assert modules("bound", "valueFor", {"nullable": ""}, " 0,5 ") == "0.5"
    assert modules("bound", "valueFor", {}, "Moon, and 2") == "Moon, and 2"


def test_a_colour_is_the_nearest_of_256_steps(modules):
    assert modules("placing", "colourAt", [[0, 1], [0.5, 0], [1, 0]], 0) == "#0080ff"
    assert modules("placing", "colourAt", [[0, 1], [0.5, 0], [1, 0]], 1) == "#ff0000"


def test_a_waveform_column_keeps_its_extremes_and_starts_where_the_track_does(modules):
    rows = [[0, -0.5, 0, 0], [0.25, 0, 0, 1]]
    options = {"spanS": 1, "startS": 2, "perSecond": 10, "view": {"from": 0, "to": 60}, "width": 6}
    drawn = modules("ribbon", "waveColumns", rows, options)
    assert drawn["highs"] == [0, 0, 0.25, 0, 0, 1]
    assert drawn["lows"] == [0, 0, 0, -0.5, 0, 0]


def test_a_curve_that_stands_still_has_room_around_it(modules):
    assert modules("keys_plot", "rangeOf", [[2, 2, 2]]) == {"low": 1.5, "high": 2.5}
    assert modules("keys_plot", "rangeOf", [[1, 3], [0, 2]]) == {"low": 0, "high": 3}


@pytest.mark.parametrize("hz", [25, 100, 1_000, 20_000])
def test_a_pitch_and_its_pixel_are_inverse(modules, hz):
    assert modules("spectrogram", "hzAt", modules("spectrogram", "rowOf", hz, 273), 273) == pytest.approx(hz)
    assert modules("spectrogram", "rowOf", 25, 273) == pytest.approx(273)
    assert modules("spectrogram", "rowOf", 20_000, 273) == pytest.approx(0)


@pytest.mark.parametrize(("hz", "tidy"), [(41.3, 41), (181.7, 182), (1_237.0, 1_240), (11_349.0, 11_300), (0.2, 1)])
def test_frequencies_are_as_tidy_as_people_write_them(modules, hz, tidy):
    assert modules("spectrogram", "tidyHz", hz) == tidy


def test_bands_are_named_in_words(modules):
    assert modules("spectrogram", "bandWords", 40, 180) == "40-180 Hz"
    assert modules("spectrogram", "bandWords", 3_000, 11_000) == "3-11 kHz"
    assert modules("spectrogram", "bandWords", 200, 4_000) == "200-4k Hz"


BANDS = [{"id": "a", "low": 40, "high": 180}, {"id": "b", "low": 100, "high": 2_000}]


def test_a_press_takes_an_edge_the_chosen_band_first_or_its_inside(modules):
    def row(hz):
        return modules("spectrogram", "rowOf", hz, 400)

    def held(y, chosen):
        found = modules("spectrogram", "heldBand", y, BANDS, chosen, 400)
        return found and (found["band"]["id"], found["part"])

    assert held(row(180) + 2, "a") == ("a", "high")
    assert held(row(40), "a") == ("a", "low")
    assert held(row(400), "b") == ("b", "all")
    assert held(row(400), "a") is None
    assert held(row(10_000), "a") is None


def test_an_edge_follows_the_hand_and_stays_on_its_side(modules):
    def dragged(part, hz):
        to = modules("spectrogram", "rowOf", hz, 400)
        start = modules("spectrogram", "rowOf", {"low": 40, "high": 180, "all": 100}[part], 400)
        return modules("spectrogram", "draggedBand", BANDS[0], part, {"from": start, "to": to, "height": 400})

    assert dragged("high", 300) == {"low": 40, "high": 300}
    assert dragged("low", 60) == {"low": 60, "high": 180}
    assert dragged("low", 5_000)["low"] < 180
    assert dragged("high", 30)["high"] > 40
    moved = dragged("all", 200)
    assert moved == {"low": 80, "high": 360}


def test_the_loudest_level_leaves_out_a_rare_one(modules):
    assert modules("spectrogram", "loudest", [200] * 990 + [250] * 4 + [180] * 6) == 200


@pytest.mark.parametrize(("value", "wanted"), [(-1, 0), (0.9, 1), (1.4, 1), (2.6, 3), (99, 7)])
def test_the_nearest_of_a_list(modules, value, wanted):
    assert modules("rhythm", "nearest", f32(0, 1, 3, 7), value) == wanted
    assert modules("rhythm", "nearest", [], value) is None


def test_the_next_beat_in_a_direction(modules):
    assert modules("rhythm", "following", [0, 10, 20], 10, 1) == 20
    assert modules("rhythm", "following", [0, 10, 20], 10, -1) == 0
    assert modules("rhythm", "following", [0, 10, 20], 20, 1) is None


def test_beats_that_would_crowd_show_only_bars(modules):
    beats, in_bar = list(range(0, 400, 10)), [1, 2, 3, 4] * 10
    all_of_them = modules("ribbon", "shownBeats", beats, in_bar, {"from": 0, "to": 400, "width": 800})
    assert len(all_of_them) == 40 and [item["strong"] for item in all_of_them[:4]] == [True, False, False, False]
    bars = modules("ribbon", "shownBeats", beats, in_bar, {"from": 0, "to": 400, "width": 100})
    assert len(bars) == 10 and all(item["strong"] for item in bars)
    assert len(modules("ribbon", "shownBeats", beats, in_bar, {"from": 0, "to": 400, "width": 20})) < 6


def test_rows_of_a_bank_lie_from_low_at_the_bottom(modules):
    assert modules("trace", "bandOf", 0, 4, 100) == {"top": 75, "height": 25}
    assert modules("trace", "bandOf", 3, 4, 100) == {"top": 0, "height": 25}


def test_a_report_groups_what_moved_alike(modules):
    same = {"largest": 0.5, "mean": 0.1, "at_s": 2.0, "note": ""}
    long = {"seconds": [9, 9]}
    said = {"moved": [{"name": "Cloche 1", **same}, {"name": "Cloche 2", **same}], "of": 5, **long}
    assert modules("swap_report", "reportLines", said) == [
        "2 of 5 driven curves moved:",
        "Cloche 1 and 1 like it: by up to 50.0 % of its range at 2.00 s, 10.0 % on average",
    ]
    assert modules("swap_report", "reportLines", {"moved": [], "of": 5, **long}) == ["None of 5 driven curves moved."]
    assert modules("swap_report", "reportLines", {"moved": [], "of": 0, "seconds": [9, 7.5]}) == [
        "Nothing is driven yet, so nothing moved.",
        "The project is 7.50 s long now, 9.00 s before.",
    ]
    assert (
        modules("swap_report", "linePoints", [0, 0.5, 1], {"width": 10, "height": 22}) == "0.0,21.0 5.0,11.0 10.0,1.0"
    )
    drawn = [{"name": name, "drawn": rows} for name, rows in (("A", [[0], [1]]), ("B", []), ("C", [[0], [1]]))]
    assert modules("swap_report", "unlike", drawn) == [{"name": "A and 1 like it", "drawn": [[0], [1]]}]


def test_the_page_draws_pitches_where_python_puts_them(modules):
    assert [modules("spectrogram", name) for name in ("LOW_HZ", "HIGH_HZ", "ROWS")] == [LOWEST_HZ, HIGHEST_HZ, ROWS]
    rows = [modules("spectrogram", "rowOf", hz, ROWS) for hz in (40, 440, 9_000)]
    edges = row_edges_hz()
    for hz, y in zip((40, 440, 9_000), rows, strict=True):
        row = int(ROWS - y)  # Python counts rows from the lowest
        assert edges[row] <= hz <= edges[row + 1]


@pytest.mark.parametrize("form", GraphicForm)
def test_a_sound_graphic_is_drawn_as_the_core_draws_it(modules, form):
    levels = [0.0, 0.125, 1.0, 0.37, 0.999, 0.0005]
    drawn = modules("graphic", "outlineOf", {"form": str(form), "width": 333, "height": 77}, levels)
    ours = outline(form, np.array(levels), width=333, height=77)
    assert re.sub(r"[-\d.]+", "", drawn) == re.sub(r"[-\d.]+", "", ours)
    read, own = ([float(word) for word in re.findall(r"-?[\d.]+", text)] for text in (drawn, ours))
    np.testing.assert_allclose(read, own, atol=0.0101)  # a half may be rounded to either side


def test_an_elements_place_is_written_as_the_core_writes_it(modules):
    part = {"anchor": [30, 40], "base": "rotate(5)"}
    values = {"x": 1.5, "y": -2, "turn": 30, "scale_x": 2, "scale_y": 0.5}
    ours = place(tuple(values.values()), anchor=(30, 40), base="rotate(5)")
    assert modules("placing", "placeOf", part, {"table": values}) == ours


def test_the_groups_of_a_part_are_moved_turned_and_scaled(modules):
    part, values = {"anchor": [30, 40]}, {"table": {"x": 1.5, "y": -2, "turn": 30, "scale_x": 2, "scale_y": 0.5}}
    said = [modules("placing", "transformOf", slot, part, values) for slot in ("move", "turn", "scale")]
    assert said == ["translate(31.5 38)", "rotate(30)", "scale(2 0.5)"]


@pytest.mark.parametrize(("at", "low", "high", "value"), [(0, -2, 4, -2), (1000, -2, 4, 4), (500, 0, 1, 0.5)])
def test_a_knob_runs_from_end_to_end(modules, at, low, high, value):
    assert modules("stage_properties", "knobValue", at, low, high) == value


def test_what_became_of_files_is_said_in_words(modules):
    said = modules("stage_files", "cameIn", {"notes": ["2 scripts"], "lost": ["Lamp, turn"], "fresh": ["Leaf"]})
    assert said == (
        "Left out or changed on the way in: 2 scripts. Not there any more, so nothing moves it: Lamp, turn. "
        "New in it: Leaf."
    )
    assert modules("stage_files", "cameIn", {}) == ""


SIZE = {"width": 380, "height": 400}
SCREEN = {"width": 1280, "height": 800}


def test_the_picker_opens_below_or_above_and_never_outside(modules):
    at = {"left": 100, "top": 200, "bottom": 220}
    assert modules("picker", "placeFor", at, SIZE, SCREEN) == {"x": 100, "y": 224}
    at = {"left": 1200, "top": 700, "bottom": 720}
    assert modules("picker", "placeFor", at, SIZE, SCREEN) == {"x": 896, "y": 296}
    at = {"left": -50, "top": 300, "bottom": 420}
    assert modules("picker", "placeFor", at, SIZE, {"width": 1280, "height": 500}) == {"x": 4, "y": 4}


def test_lines_are_gone_through_round_and_round(modules):
    assert [modules("picker", "nextLine", at, by, 3) for at, by in ((0, 1), (2, 1), (0, -1))] == [1, 0, 2]
    assert modules("picker", "nextLine", 0, 1, 0) == -1

"""The pure functions of choosing, finding and dropping, called in Node."""

from pathlib import Path

import pytest
from tests.gltf import glb


def test_parts_are_added_to_what_is_chosen_and_taken_away_again(modules):
    assert modules("stage_choose", "toggled", [], "a", "b") == {"part": "b", "parts": ["a", "b"]}
    assert modules("stage_choose", "toggled", ["a", "b"], "b", "c") == {"part": "c", "parts": ["a", "b", "c"]}
    assert modules("stage_choose", "toggled", ["a", "b", "c"], "c", "c") == {"part": "b", "parts": ["a", "b"]}
    assert modules("stage_choose", "toggled", ["a", "b"], "b", "b") == {"part": "a", "parts": []}
    assert modules("stage_choose", "toggled", [], "a", "a") == {"part": "a", "parts": []}
    assert modules("stage_choose", "toggled", [], None, "a") == {"part": "a", "parts": []}


def test_rows_of_the_tree_are_chosen_from_one_to_another(modules):
    rows = ["a", "b", "c", "d"]
    assert modules("stage_choose", "ranged", rows, "b", "d") == {"part": "b", "parts": ["b", "c", "d"]}
    assert modules("stage_choose", "ranged", rows, "d", "c") == {"part": "d", "parts": ["c", "d"]}
    assert modules("stage_choose", "ranged", rows, "a", "a") == {"part": "a", "parts": []}
    assert modules("stage_choose", "ranged", rows, "gone", "b") == {"part": "gone", "parts": ["a", "b"]}


def test_a_box_is_the_same_from_whichever_corner(modules):
    size = {"width": 200, "height": 100}
    for a, b in (({"x": 20, "y": 10}, {"x": 120, "y": 60}), ({"x": 120, "y": 10}, {"x": 20, "y": 60})):
        assert modules("stage_choose", "boxOf", a, b, size) == [0.1, 0.1, 0.6, 0.6]


def test_a_long_list_is_shown_by_entries_evenly_spaced(modules):
    assert modules("stage_choose", "spaced", [1, 2, 3], 3) == [1, 2, 3]
    assert modules("stage_choose", "spaced", list(range(101)), 5) == [0, 25, 50, 75, 100]


def test_rows_of_a_long_tree_are_drawn_when_others_are_seen(modules):
    seen = {"top": 2700, "tall": 270, "row": 27}  # rows 100 to 110
    assert modules("stage_tree", "firstToDraw", seen, {"before": 100, "count": 200, "after": 9}) is None
    assert modules("stage_tree", "firstToDraw", seen, {"before": 101, "count": 200, "after": 9}) == 30
    assert modules("stage_tree", "firstToDraw", seen, {"before": 0, "count": 109, "after": 9}) == 30
    assert modules("stage_tree", "firstToDraw", seen, {"before": 0, "count": 109, "after": 0}) is None
    assert modules("stage_tree", "firstToDraw", {**seen, "top": 0}, {"before": 40, "count": 200, "after": 0}) == 0


def test_clicking_again_goes_through_what_lies_over_what(modules):
    under = ["top", "middle", "ground"]
    for chosen, then in ((None, "top"), ("top", "middle"), ("ground", "top"), ("elsewhere", "top")):
        assert modules("stage_looking", "nextUnder", under, chosen) == then
    assert modules("stage_looking", "nextUnder", [], "top") is None


def test_what_is_dropped_goes_to_the_room_that_takes_it(modules):
    names = ["Rain.WAV", "bars.svg", "curve.csv", "model.GLB", "model.bin", "photo.jpeg", "clip.mp4"]
    assert modules("drop_anywhere", "roomsFor", names) == {
        "stage": ["bars.svg", "model.GLB", "model.bin", "photo.jpeg"],
        "sound": ["Rain.WAV", "curve.csv", "clip.mp4"],
    }


def test_a_lane_is_found_by_all_of_the_words_and_its_kind(modules):
    lane = {"words": "frond sway reed loudness fronds, turn", "is": "stale look "}
    for sought, kind, there in (
        ("", "", True), ("SWAY reed", "", True), ("sway drip", "", False), ("", "look", True), ("turn", "muted", False)
    ):  # fmt: skip
        assert modules("lanes", "isSought", lane, {"sought": sought, "kind": kind}) is there


@pytest.mark.parametrize(
    ("low", "high", "there"),
    [
        ((-0.5, -0.5), (0.5, 0.5), True),
        ((-9, -9), (9, 9), True),  # close by: it fills the view
        ((1.2, 0), (3, 1), False),  # to the right of it
        ((0.9, -1), (6, 1), False),  # all but its edge
        ((0, 0), (0.02, 0.03), False),  # a speck
        ((-0.5, 0), (0.5, 0), True),  # flat, seen from its edge
    ],
)
def test_a_model_is_seen_when_more_than_a_speck_or_an_edge_of_it_lies_in_the_view(modules, low, high, there):
    corners = [{"x": x, "y": y, "z": 0.5} for x in (low[0], high[0]) for y in (low[1], high[1])]
    assert modules("in_view", "isSeen", corners) is there
    assert modules("in_view", "isSeen", [{**corner, "z": 1.5} for corner in corners]) is False


@pytest.mark.parametrize(
    ("how", "chosen", "count", "words"),
    [
        ("box", 0, 0, "Nothing lies in the box with all that is seen of it."),
        ("others", 0, 0, "There are no others."),
        ("box", 1, 1, ""),
        ("alike", 1, 1, "No other part looks like this one."),
        ("alike", 20, 20, ""),
        ("others", 2000, 3100, "3100 parts are meant: the first 2000 are chosen, which is as many as go together."),
    ],
)
def test_what_became_of_a_choice_is_said_where_it_is_not_as_expected(modules, how, chosen, count, words):
    assert modules("stage_choose", "outcomeWords", how, chosen, count) == words


def test_what_a_file_does_itself_with_what_is_driven_gives_way(modules):
    bindings = {"fill": [["own", "fill"]], "radius": [["own", "r"]]}
    drives = {"table": {"fill": True}}
    assert modules("own_motion", "drivenAttributes", bindings, drives) == ["fill"]
    assert modules("own_motion", "drivenAttributes", bindings, {"table": {"turn": True}}) == ["transform"]
    for tag, attribute, wanted in (
        ("animate", "r", "r"), ("animateMotion", None, "transform"), ("set", "fill", "fill"), ("circle", "r", None)
    ):  # fmt: skip
        assert modules("own_motion", "animates", {"localName": tag, "attributeName": attribute}) == wanted


def test_a_place_with_what_it_was_put_together_in_and_boxes_about_points(modules):
    other = {"id": "all", "anchor": [5, 0], "own": {}}
    part = {"anchor": [1, 2], "base": "scale(2)", "above": [other]}
    values = {"table": {"x": 3, "y": 4, "turn": 90, "scale_x": 1, "scale_y": 2}}
    alone = modules("placing", "about", [1, 2], values)
    assert alone == "translate(4 6) rotate(90) scale(1 2) translate(-1 -2)"
    bare = {key: value for key, value in part.items() if key != "above"}
    assert modules("placing", "placeOf", bare, values) == f"{alone} scale(2)"
    points = [{"x": 3, "y": 1}, {"x": -1, "y": 4}]
    assert modules("placing", "boxAround", points) == {"x": -1, "y": 1, "width": 4, "height": 3}
    corners = [{"x": -1, "y": 1}, {"x": 3, "y": 1}, {"x": 3, "y": 4}, {"x": -1, "y": 4}]
    assert modules("placing", "around", points) == corners


def test_what_a_packed_file_needs_is_read_off_its_head(modules):
    for name in ("draco", "meshopt"):
        content = (Path(__file__).parents[1] / f"packed/{name}.glb").read_bytes()
        assert any(name in extension for extension in modules("unpacking", "usedBy", {"bytes": list(content)}))


def test_a_step_of_the_tour_is_done_when_it_was_done(modules):
    before = {"revision": 4, "undo": "Open the demo", "stale": 3, "playing": False, "room": "bench", "written": False}
    for until, change, done in (
        ("playing", {"playing": True}, True),
        ("room", {"wanted": "sound"}, False),
        ("room", {"wanted": "bench"}, True),
        ("edited", {}, False),
        ("edited", {"revision": 5, "undo": "Tune"}, True),
        ("edited", {"revision": 3, "undo": None}, False),
        ("baked", {}, False),
        ("baked", {"stale": 0}, True),
        ("written", {"written": True}, True),
    ):
        assert modules("tour", "isDone", until, before, before | change) is done


def test_a_box_on_the_screen_has_its_edges_whichever_way_it_is_drawn(modules):
    a, b = {"clientX": 9, "clientY": 2}, {"clientX": 3, "clientY": 7}
    wanted = {"left": 3, "right": 9, "top": 2, "bottom": 7}
    assert modules("stage_choose", "edgesOf", a, b) == modules("stage_choose", "edgesOf", b, a) == wanted
    assert "box" in modules("stage_choose", "outcomeWords", "nodes", 0, 0)


def test_what_a_file_uses_but_could_do_without_is_unpacked_too(modules):
    content = glb({"asset": {"version": "2.0"}, "extensionsUsed": ["KHR_draco_mesh_compression"]}, b"")
    assert modules("unpacking", "usedBy", {"bytes": list(content)}) == ["KHR_draco_mesh_compression"]
    assert modules("unpacking", "usedBy", {"bytes": list(glb({"asset": {"version": "2.0"}}, b""))}) == []


def test_outlines_become_one_path(modules):
    corners = [{"x": 0, "y": 1}, {"x": 2.25, "y": 1}, {"x": 2, "y": 3}]
    assert modules("spotlight", "pathAround", [corners, corners[:2]]) == "M0.0 1.0L2.3 1.0L2.0 3.0ZM0.0 1.0L2.3 1.0Z"
    assert modules("spotlight", "pathAround", []) == ""


def test_an_order_is_asked_for_with_the_parts_that_are_chosen(modules):
    chosen = {"parts": ["a b", "c"], "backwards": "yes"}
    assert modules("tried_order", "addressOf", "stage/orders/x", chosen) == "stage/orders/x?parts=a%20b,c&backwards=yes"
    assert modules("tried_order", "addressOf", "stage/orders/x?array=row", chosen) == "stage/orders/x?array=row"
    assert modules("tried_order", "addressOf", "stage/orders/x", {"parts": [], "backwards": ""}) == "stage/orders/x"


def test_files_that_come_together_are_a_project_a_stage_sounds_and_curves(modules):
    def kinds(*names):
        plain = modules("projects", "kindsOf", [{"name": name, "type": ""} for name in names])
        return {kind: [file["name"] for file in files] for kind, files in plain.items() if files}

    assert kinds("Kick.wav", "Pad.FLAC", "hits.mid") == {"sounds": ["Kick.wav", "Pad.FLAC"], "curves": ["hits.mid"]}
    assert kinds("fern.gltf", "fern.bin", "rain.mp3") == {"stage": ["fern.gltf", "fern.bin"], "sounds": ["rain.mp3"]}
    assert kinds("a.ferntide", "b.svg", "notes.txt") == {
        "projects": ["a.ferntide"],
        "stage": ["b.svg"],
        "sounds": ["notes.txt"],
    }
    assert kinds("notes.txt", "fern.glb", "rain.mp3") == {"stage": ["notes.txt", "fern.glb"], "sounds": ["rain.mp3"]}
    assert kinds("notes.txt") == {"sounds": ["notes.txt"]}  # the server says what it is not


@pytest.mark.parametrize(
    ("names", "song"),
    [
        (["Rain on Panes.wav"], "Rain on Panes"),
        (["Rain_kick.wav", "Rain_keys.flac", "Rain_pad 2.wav"], "Rain"),
        (["Night (live) - Drip.wav", "Night (live) - Reed.wav"], "Night (live)"),
        (["Song 2.wav", "Song 2 pad.wav"], "Song 2"),
        (["01 Kick.wav", "02 Hats.wav"], "01 Kick"),  # numbers are no name
        (["Kick.wav", "Keys.wav"], "Kick"),
        (["Été - a.wav", "Été - b.wav"], "Été"),
    ],
)
def test_stems_are_called_by_the_words_that_they_share(modules, names, song):
    assert modules("file_names", "songOf", names) == song


def test_files_with_the_same_fault_are_named_together(modules):
    refused = [
        {"name": "a.wav", "fault": "No sound."},
        {"name": "b.mid", "fault": "Torn."},
        {"name": "c", "fault": "No sound."},
    ]
    assert modules("drop", "inWords", refused) == "a.wav, c: No sound. b.mid: Torn."
    assert modules("drop", "inWords", []) == ""


@pytest.mark.parametrize(
    ("song", "name", "short"),
    [
        ("Rain", "Rain_kick.wav", "kick.wav"),
        ("Night (live)", "Night (live) - Reed 2.5 (wet).flac", "Reed 2.5 (wet).flac"),
        ("Song 2", "Song 2.wav", "Song 2.wav"),
        ("Song 2", "Song 2 pad.wav", "pad.wav"),
        ("01 Kick", "02 Hats.wav", "02 Hats.wav"),
        ("Rain", "Rain (dry).wav", "(dry).wav"),
        ("Rain", "Rain drums", "drums"),
        ("", "- notes.mid", "- notes.mid"),
    ],
)
def test_the_name_of_a_stem_is_what_the_song_is_not(modules, song, name, short):
    assert modules("file_names", "nameWithout", song, name) == short


def test_files_of_notes_and_curves_are_told_from_sounds_by_their_names(modules):
    for name, wanted in (
        ("a.mid", "curves"),
        ("B.MIDI", "curves"),
        ("c.csv", "curves"),
        ("d.wav", "tracks"),
        ("mid", "tracks"),
    ):
        assert modules("file_names", "takenAs", name) == wanted


@pytest.mark.parametrize(
    ("first", "last", "heights"),
    [
        ((0, 50), (200, 50), [40, 40]),
        ((0, 50), (0, 50), [40, 70]),
        ((0, 50), (30, 45), [70, 35]),
        ((0, 50), (30, 60), [40, 80]),
        ((0, 50), (0, 90), [40, 80]),
    ],
    ids=["apart", "on each other", "the first lower", "the last lower", "one above the other"],
)
def test_the_words_at_the_ends_of_an_order_never_lie_on_each_other(modules, first, last, heights):
    ends = [dict(zip("xy", end, strict=True)) for end in (first, last)]
    assert modules("stage_choose", "wordHeights", *ends) == heights


def test_files_that_look_newer_are_asked_about_by_name(modules):
    kick = {"file": "Kick v2.wav", "name": "Kick"}
    many = [{"file": f"{name} v2.wav", "name": name} for name in ("Kick", "Hats", "Pad", "Bell", "Reed")]
    asked = modules("incoming", "question", [kick], 1)
    assert asked["words"] == "Kick v2.wav looks like a newer file of Kick."
    assert (asked["swap"], asked["add"]) == ("Put it under Kick", "Add it as new")
    asked = modules("incoming", "question", many, 7)
    assert asked["words"] == (
        "Kick v2.wav, Hats v2.wav, Pad v2.wav and 2 more look like newer files of Kick, Hats, Pad and 2 more."
        " 2 other files come in as new."
    )
    assert (asked["swap"], asked["add"]) == ("Put each under its own", "Add all as new")
    assert modules("incoming", "listed", []) == "" and modules("incoming", "listed", ["Kick", "Pad"]) == "Kick and Pad"


@pytest.mark.parametrize(
    ("names", "main"),
    [
        (["leaf.svg"], "leaf.svg"),
        (["fern.gltf", "fern.bin", "bark.png"], "fern.gltf"),
        (["leaf.svg", "stem.svg"], None),
        (["fern.glb", "moss.glb"], None),
        ([], None),
    ],
)
def test_what_others_of_a_drop_belong_to_is_its_one_model_or_its_one_file(modules, names, main):
    found = modules("stage_files", "mainOf", [{"name": name} for name in names])
    assert (found and found["name"]) == main

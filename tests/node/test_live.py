"""What the page does with what it hears before Python has it, and with what Python says."""

from pathlib import Path

import pytest

HERE = Path(__file__).parent / "live"


def blocks(count, *, size=4, hz=1000, later=0.0):
    """Blocks of a ramp, each told a moment after it ended."""
    ramp = [[float(at * size + n) for n in range(size)] for at in range(count)]
    return [[at * size / hz, 1000 * (at + 1) * size / hz + later, [samples]] for at, samples in enumerate(ramp)]


def test_samples_are_sent_as_soon_as_a_frame_is_whole_and_none_twice(modules):
    told = modules(HERE, "fed", blocks(30), {"rate": [100, 1], "hz": 1000})  # ten samples a frame
    assert [len(samples) for samples in told["sent"]] == [12, 8] * 6
    joined = [value for samples in told["sent"] for value in samples]
    assert joined == [float(n) for n in range(len(joined))] and told["wrong"] == 0


def test_when_it_was_heard_is_told_by_the_quickest_way_of_any_block(modules):
    slow = [[at, arrives + (40 if n % 3 else 2), samples] for n, (at, arrives, samples) in enumerate(blocks(12))]
    told = modules(HERE, "fed", slow, {"rate": [100, 1], "hz": 1000})
    ends = [12, 20, 32, 40]
    assert [at for _, at in told["heard"]] == pytest.approx([end + 2 for end in ends])


def test_what_came_while_an_answer_was_on_its_way_goes_at_once(modules):
    told = modules(HERE, "fed", blocks(30), {"rate": [100, 1], "hz": 1000, "slow": 12})
    joined = [value for samples in told["sent"] for value in samples]
    assert joined == [float(n) for n in range(len(joined))]
    assert max(len(samples) for samples in told["sent"]) > 30


def test_after_five_seconds_without_an_answer_the_oldest_is_left_out(modules):
    told = modules(HERE, "fed", blocks(1600), {"rate": [100, 1], "hz": 1000, "slow": 1590})
    assert max(len(samples) for samples in told["sent"]) == 5000 and told["sent"][1][0] == 1590 * 4 - 5000


def test_what_goes_wrong_is_said_once(modules):
    assert modules(HERE, "fed", blocks(3), {"rate": [100, 1], "hz": 1000, "fails": True})["wrong"] == 1


def test_frames_begin_where_python_has_them(modules):
    for frame in (0, 1, 29, 30, 1001, 107_892):
        exact = -(-frame * 48_000 * 1001 // 30_000)
        assert modules("live_feed", "firstSample", frame, [30_000, 1001], 48_000) == exact


def test_channels_lie_one_after_the_other(modules):
    assert modules("live_feed", "planar", [[1, 2], [3, 4]], 2) == [1, 2, 3, 4]
    assert modules("live_feed", "planar", [[1, 2]], 2) == [1, 2, 1, 2]
    assert modules("live_feed", "planar", [[1, 2], [3, 4]], 1) == [1, 2]


def test_the_latest_is_said_first_and_what_is_otherwise_beside_it(modules):
    lags = [
        {"name": "Drip", "ms": 20, "words": []},
        {"name": "Reed", "ms": 240, "words": ["Equalise goes by the last 30 s."]},
        {"name": "Beats", "ms": 0, "words": ["Beats is not heard live: it rests."]},
        {"name": "Panes", "ms": 0, "words": []},
    ]
    lines = modules("live", "lagLines", {"lags": lags, "late": "Nothing is later than 3600 frames live."})
    assert lines == [
        ["240 ms late", "Reed", "Equalise goes by the last 30 s."],
        ["20 ms late", "Drip", ""],
        ["", "Beats", "Beats is not heard live: it rests."],
        ["at once", "Panes", ""],
        ["", "", "Nothing is later than 3600 frames live."],
    ]


def test_rows_take_the_place_of_those_before_and_tables_stay(modules):
    table = {"from": 0, "to": 1, "values": [0, 1]}
    known = {"piece_x": {"kind": "number", "drivers": [{"late": 2, "rows": [[0, 0]], "response": table}]}}
    moved = modules(
        "live",
        "withRows",
        known,
        {"piece_x": {"rows": [1]}, "thrown": {"frames": 9, "base": 3.5}},
        [[7], [[4, 5], [6, 7]]],
    )
    assert moved["piece_x"]["drivers"] == [{"late": 2, "rows": [[4, 5], [6, 7]], "response": table}]
    assert moved["thrown"] == {"frames": 9, "base": 3.5}
    whole = {"kind": "number", "drivers": [{"rows": 0, "response": {"from": 0, "to": 1, "values": 1}}]}
    moved = modules("live", "withRows", {}, {"piece_x": {"whole": whole}}, [[0.5], [0, 1]])
    assert moved["piece_x"]["drivers"][0]["rows"] == [0.5] and moved["piece_x"]["drivers"][0]["response"]["values"] == [
        0,
        1,
    ]


def test_a_tab_that_cannot_be_had_is_said(modules):
    assert "No tab was shared" in modules("tab_sound", "tabWords", "NotAllowedError")["what"]
    assert "does not share" in modules("tab_sound", "tabWords", "TypeError")["what"]


def test_a_picture_is_drawn_of_what_came_while_the_page_was_free(modules):
    def stale(waited, since):
        return modules("live", "isStale", {"cameAt": 1000.0 - waited, "drawnAt": 1000.0 - since, "now": 1000.0})

    assert [stale(waited, 50) for waited in (0, 8, 9, 60)] == [False, False, True, True]
    assert not stale(60, 150) and not stale(60, 5000)  # a page that is never free draws nevertheless

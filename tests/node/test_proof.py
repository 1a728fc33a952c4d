"""What is burnt into a proof: the frame's number as marks, and its time."""

import pytest


@pytest.mark.parametrize("frame", [0, 1, 7, 1349, (1 << 20) - 1])
def test_the_marks_are_the_bits_of_the_frame(modules, frame):
    bits = modules("proof", "marksOf", frame)
    assert len(bits) == 20 and int("".join(map(str, bits)), 2) == frame


@pytest.mark.parametrize(
    ("frame", "rate", "text"),
    [
        (0, [30, 1], "00:00:00"),
        (1349, [30, 1], "00:44:29"),
        (61, [24000, 1001], "00:02:13"),
        (7200, [60, 1], "02:00:00"),
    ],
)
def test_a_frames_time(modules, frame, rate, text):
    assert modules("proof", "timecode", frame, rate) == text


def test_a_video_shows_the_stage_as_much_earlier_as_the_screen_is_late(modules):
    shown = [modules("proof", "shownAt", frame, {"ahead": 3, "frames": 10}) for frame in (0, 6, 7, 9)]
    assert shown == [3, 9, 9, 9] and modules("proof", "shownAt", 1, {"ahead": -2, "frames": 10}) == 0


def test_a_drawing_is_one_of_several_by_its_place_and_names_of_its_own(modules):
    drawing = (
        '<svg xmlns="x" width="9"><linearGradient id="stage-a"/><g id="stage-b" clip-path="url(#stage-c)" '
        'style="fill: url(&quot;#stage-a&quot;)"><use href="#stage-b"/></g><text> id="stage-b"</text></svg>'
    )
    tile = modules("proof_sheet", "tileOf", drawing, {"at": 3, "height": 540})
    assert tile == (
        '<svg y="1620" xmlns="x" width="9"><linearGradient id="stage-3-a"/><g id="stage-3-b" '
        'clip-path="url(#stage-3-c)" '
        'style="fill: url(&quot;#stage-3-a&quot;)"><use href="#stage-3-b"/></g><text> id="stage-b"</text></svg>'
    ), "what is written on the stage stays as it is"


def test_what_a_drawing_refers_to(modules):
    drawing = '<use href="#a"/><g fill="url(#b-c)" style="mask: url(&quot;#d&quot;)"/><image href="data:,#e"/>'
    assert modules("proof_ground", "namesIn", drawing) == ["a", "b-c", "d"]


def test_what_does_nothing_in_a_frame_is_not_drawn(modules):
    haze = '<filter id="stage-{0}--filter" x="-60%"><feGaussianBlur id="stage-{0}--haze" stdDeviation="2"/></filter>'
    drawing = (
        f'<svg><g transform="rotate(0)" opacity="1"><g transform="scale(1 1)">{haze.format("a")}</g></g>'
        f'<g opacity="0.5" transform="rotate(0.1)" filter="url(#stage-b--filter)">{haze.format("b")}</g>'
        f'<g style="filter: url(&quot;#stage-c--filter&quot;)"/>{haze.format("c")}'
        '<filter id="stage-own"><feOffset/></filter><g stroke-opacity="1"/><text> opacity="1"</text></svg>'
    )
    assert modules("proof_sheet", "lean", drawing) == (
        "<svg><g><g></g></g>"
        f'<g opacity="0.5" transform="rotate(0.1)" filter="url(#stage-b--filter)">{haze.format("b")}</g>'
        f'<g style="filter: url(&quot;#stage-c--filter&quot;)"/>{haze.format("c")}'
        '<filter id="stage-own"><feOffset/></filter><g stroke-opacity="1"/><text> opacity="1"</text></svg>'
    )

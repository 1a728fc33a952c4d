"""Outlines that shapers move, in Chromium: files that play, against what is drawn; and by hand on the Stage."""

import json

import numpy as np
import pytest
from tests.core.scene.test_outlines import frond, hand_off
from tests.journeys.conftest import axe, wait
from tests.journeys.players import lottie_frames
from tests.journeys.test_pages_and_players import picture
from tests.journeys.test_stage_room import drive
from tests.journeys.test_ways import choose, quiet

from fern_tide.core.formats.format import write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.scene.drawing import draw, markup

SHOWN = (0, 7, 16, 31)
ENDS = {
    "frond:shaper1_amount": (-70, 85),
    "frond:shaper2_amount": (0, 8),
    "frond:shaper2_phase": (0, 400),
    "frond:turn": (0, 25),
}
MEASURED = """() => [...document.querySelectorAll("path")].filter((path) => !path.closest("defs")).map((path) => {
    const length = path.getTotalLength();
    return [0, 0.25, 0.5, 0.75, 1].flatMap((at) => (({ x, y }) => [x, y])(path.getPointAtLength(at * length)));
})"""


@pytest.fixture(scope="module")
def shown():
    return hand_off(*frond(frond=["bend", "ripple"]), ENDS)


def show(page, svg, *, at_s=None):
    """Open an SVG as a file, which knows of namespaces, and at a moment."""
    page.unroute("**/shown.svg")
    page.route("**/shown.svg", lambda route: route.fulfill(body=svg, content_type="image/svg+xml"))
    page.goto("/shown.svg")
    if at_s is not None:
        page.evaluate(
            "at => { document.documentElement.pauseAnimations(); document.documentElement.setCurrentTime(at); }", at_s
        )


@pytest.mark.parametrize("error_percent", [0, 0.5])
def test_the_file_that_came_in_plays_what_is_drawn(page, shown, error_percent):
    spec = FORMATS["svg"]
    svg = write(shown, format=spec, params=spec.params(error_percent=error_percent)).content.decode()
    assert "<title>" not in svg, "it is the file itself, with animations"
    for frame in SHOWN:
        values = {curve.target: curve.at(frame) for curve in shown.curves}
        show(page, markup(draw(shown.scene, media=shown.media, values=values)))
        wanted = np.array(page.evaluate(MEASURED))
        show(page, svg, at_s=float(shown.rate.seconds(frame)) + 1e-6)
        found = np.array(page.evaluate(MEASURED))
        assert wanted.shape == found.shape == (4, 10)
        np.testing.assert_allclose(found, wanted, atol=0.02 if not error_percent else 1.0)


def test_a_lottie_player_shows_the_same(page, shown):
    data = json.loads(write(shown, format=FORMATS["lottie"]).content)
    pictures = lottie_frames(page, data, SHOWN, picture=picture)
    seen = {}
    for frame in SHOWN:
        values = {curve.target: curve.at(frame) for curve in shown.curves}
        drawn = draw(shown.scene, media=shown.media, values=values)
        for words in [one for one in drawn.iter() if one.tag == "text"]:
            words.set("display", "none")
        svg = markup(drawn).replace("<svg ", "<svg width='960' height='540' ", 1)
        page.set_content(f"<body style='margin:0'>{svg}</body>")
        seen[frame] = picture(page)
        apart = np.abs(seen[frame] - pictures[frame]).max(axis=2)
        assert apart.mean() < 1 and (apart > 60).mean() < 0.005, frame
    moved, wanted = (np.abs(one[0] - one[16]).max(axis=2).mean() for one in (pictures, seen))
    assert wanted > 0.1 and abs(moved - wanted) < 0.1 * wanted, "it moves, as far as the drawing's edges let it be seen"


OWN = "document.querySelector('#stage-frond-left--own').getAttribute('d')"


def test_outlines_that_do_not_come_are_said_and_asked_for_again(stage_room):
    page = stage_room
    choose(page, "frond-left")
    page.expect_console("500 (Internal Server Error)")
    page.route("**/stage/outlines/**", lambda route: route.fulfill(status=500, json={"what": "No.", "remedy": "Wait."}))
    page.select_option("#add-shaper", label="Bend")
    page.wait_for_selector("[aria-label='Remove bend']")
    quiet(page)
    knob = page.locator("input[data-try='frond-left:shaper1_amount']")
    before = page.evaluate(OWN)
    knob.focus()
    page.keyboard.press("PageUp")
    page.wait_for_selector("#notice:not([hidden])")
    assert "No. Wait." in page.locator("#notice").inner_text() and page.evaluate(OWN) == before
    page.unroute("**/stage/outlines/**")
    page.keyboard.press("PageUp")
    wait(page, f"{OWN} !== {json.dumps(before)}")


def test_a_frond_is_bent_by_hand_driven_and_written(stage_room):
    page = stage_room
    choose(page, "frond-left")
    before = page.evaluate(OWN)
    page.select_option("#add-shaper", label="Bend")
    page.wait_for_selector("[aria-label='Remove bend']")
    quiet(page)
    knob = page.locator("input[data-try='frond-left:shaper1_amount']")
    box = knob.bounding_box()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + 0.9 * box["width"], box["y"] + box["height"] / 2, steps=4)
    wait(page, f"{OWN} !== {json.dumps(before)} && {OWN}.includes('C')")
    tried = page.evaluate(OWN)
    page.mouse.up()
    wait(page, f"{OWN} !== {json.dumps(tried)}")
    assert page.locator(".shaper-plane").count() == 2
    page.select_option("#region-1-where", "in a ball")
    page.wait_for_selector("#region-1-soft")
    assert page.locator(".shaper-plane").count() == 3 and page.locator("#region-1-towards").count() == 0
    assert page.eval_on_selector_all("#shaper-1-axis option", "all => all.map((one) => one.value)") == ["x", "y"]
    assert axe(page) == []
    page.select_option("#region-1-where", "all over")
    quiet(page)
    drive(page, "frond-left:shaper1_amount")
    shapes = {page.evaluate(OWN)}
    for _ in range(3):
        page.keyboard.press("Shift+ArrowRight")
        page.wait_for_timeout(200)
        shapes.add(page.evaluate(OWN))
    assert len(shapes) > 1, "it follows the sound, frame by frame"

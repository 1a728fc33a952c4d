"""The stage on the whole screen, with nothing else on it; and the outline of what is chosen on it."""

from tests.journeys.conftest import open_potting_bench, open_stage, wait
from tests.journeys.test_stage_room import drive
from tests.journeys.test_ways import choose

LEAF = b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><rect id="leaf" width="4" height="4"/></svg>'


def test_the_stage_takes_the_whole_screen_and_gives_it_back(stage_room):
    page = stage_room
    choose(page, "frond-left")
    before = page.locator("#stage").bounding_box()
    page.click("#show-full")
    wait(page, "document.fullscreenElement?.id === 'stage'")
    wait(page, "Math.abs(document.querySelector('#stage > svg').getBoundingClientRect().width - innerWidth) < 2")
    assert page.evaluate("getComputedStyle(document.querySelector('#stage > .over')).display") == "none"
    page.keyboard.press("Space")
    wait(page, "document.getElementById('play').getAttribute('aria-label') === 'Stop'")
    page.keyboard.press("s")
    wait(page, "document.fullscreenElement === null")
    assert page.locator("#stage").bounding_box() == before


def test_a_browser_that_gives_no_screen_says_so(stage_room):
    page = stage_room
    page.evaluate("() => { Element.prototype.requestFullscreen = async () => { throw new TypeError('no'); }; }")
    page.click("#show-full")
    page.wait_for_selector("#notice:has-text('does not give the whole screen')")


def test_an_answer_to_one_message_is_not_offered_with_the_next(stage_room):
    page = stage_room
    page.set_input_files("#scene-file", {"name": "leaf.svg", "mimeType": "image/svg+xml", "buffer": LEAF})
    page.wait_for_selector("#notice-other:has-text('Replace the stage')")
    page.click("[data-lead] >> nth=0")
    page.wait_for_selector("#notice:has-text('Move the knob')")
    assert page.locator("#notice-other").is_hidden() and page.locator("#notice-act").is_hidden()


AWAY = """(() => {
  const box = (selector) => document.querySelector(selector).getBoundingClientRect();
  const sides = (selector) => ["left", "top", "right", "bottom"].map((side) => box(selector)[side]);
  const outline = sides("#stage .over polygon");
  return Math.max(...sides("#stage-lamp-bulb--own").map((side, at) => Math.abs(side - outline[at])));
})()"""


def seek(page, frame):
    page.evaluate(f"script('transport').then((m) => m.transport.seek({frame}))")


def test_the_outline_follows_a_drawn_part(stage_room):
    page = stage_room
    choose(page, "lamp-bulb")
    drive(page, "lamp-bulb:scale_y")
    wait(page, "document.querySelector('[data-running=\"lamp-bulb:scale_y\"]')?.textContent === '1.00'")
    tall = set()
    for frame in (9, 0, 12, 15):
        seek(page, frame)
        wait(page, f"{AWAY} < 3")
        tall.add(round(page.locator("#stage .over polygon").bounding_box()["height"]))
    assert max(tall) > min(tall) + 6, "it stretches"


def test_the_outline_follows_a_part_in_space(page):
    open_potting_bench(page)
    open_stage(page)
    page.wait_for_selector("#stage canvas")
    choose(page, "lamp")
    running = "parseFloat(document.querySelector('.tree-row [data-running=\"lamp:turn_z\"]')?.textContent)"
    seek(page, 554)
    wait(page, f"Math.abs({running}) > 5")
    seen = []
    for frame in (554, 0, 554):
        seek(page, frame)
        page.evaluate("new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")  # it is drawn
        seen.append(page.get_attribute("#stage .over polygon", "points"))
    assert seen[0] == seen[2] != seen[1], "it swings"

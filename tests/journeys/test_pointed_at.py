"""What is pointed at or suggested while other answers come: it is seen on what came, and asked for in few words."""

import json

from tests.journeys.conftest import draw_anew, open_sound, wait
from tests.journeys.test_late_answers import Held
from tests.journeys.test_poses import SCALE, number
from tests.journeys.test_sound_room import MIX, idle
from tests.journeys.test_stage_room import drive
from tests.journeys.test_ways import UNDO, choose, quiet


def pointed_at(page, entry, *, seen, question):
    """Point at an entry while an answer to what was asked before it is held, let that come, and point elsewhere."""
    picture = f"document.querySelector('{seen}').toDataURL()"
    before = json.dumps(page.evaluate(picture))
    held = Held(page, question)
    renamed = """project.edit({ kind: "rename_project", name: "Later" })"""
    page.evaluate(f"""script("project").then(({{ project }}) => {renamed})""")
    held.wait(lambda: held.first is not None)
    page.hover(entry)
    page.wait_for_timeout(800)
    held.comes()
    wait(page, f"{picture} !== {before}")
    page.mouse.move(640, 5)
    wait(page, f"{picture} === {before}")


def test_what_is_pointed_at_is_seen_also_when_an_older_answer_comes_after_it(demo):
    demo.click("[data-drawer='recipes']")
    entry = "[data-pick='recipe'][data-id='stepping-stones']"
    demo.wait_for_selector(entry)
    pointed_at(demo, entry, seen="[data-lane=lamp-glow]", question="**/curves?*")


def test_a_clean_up_that_is_pointed_at_is_seen_also_when_an_older_answer_comes_after_it(page):
    open_sound(page, MIX, room="sound")
    idle(page)
    wait(page, "document.querySelector('#level-here').textContent !== '–'")
    page.click("#add-clean-up")
    entry = "[data-pick='clean_up'][data-id='hold']"
    page.wait_for_selector(entry)
    pointed_at(page, entry, seen="#trace", question="**/sound/shown?*")


def test_suggestions_come_although_the_panels_were_drawn_anew_and_go_with_what_they_are_of(stage_room):
    page = stage_room
    choose(page, "moth-one")
    held = Held(page, "**/stage/suggestions?*")
    page.click("#suggest-parts")
    held.wait(lambda: held.first is not None)
    draw_anew(page, "#suggest-parts")
    held.comes()
    assert page.locator("#suggestions button").count() == 3
    draw_anew(page, "#suggest-parts")
    assert page.locator("#suggestions button").count() == 3
    number(page, "#own-x", 20)
    wait(page, "document.querySelectorAll('#suggestions button').length === 0")
    page.click("#suggest-parts")
    page.wait_for_selector("#suggestions button >> nth=2")
    choose(page, "moth-two")
    assert page.locator("#suggestions button").count() == 0


def test_suggestions_that_wait_for_a_sound_come_when_it_is_read(stage_room):
    page = stage_room
    choose(page, "moth-one")
    page.route("**/stage/suggestions?*", lambda route: route.fulfill(body="<p data-waits>later</p>"), times=1)
    page.click("#suggest-parts")
    page.wait_for_selector("#suggestions >> text=later")
    page.evaluate("script('work').then(({ work }) => work.dispatchEvent(new Event('done')))")
    page.wait_for_selector("#suggestions button >> nth=2")


def test_what_stops_being_driven_is_not_asked_for_by_name(stage_room):
    """A mapping may move thousands of parts: their names would be too long for an address."""
    page, asked = stage_room, []
    choose(page, "moth-one")
    drive(page, "moth-one:scale_x")
    page.click("#undo")
    wait(page, f"{SCALE} === 'scale(1 1)'")
    quiet(page)
    page.on("request", lambda request: "/curves?" in request.url and asked.append(request.url))
    page.press("body", "m")
    wait(page, f"{UNDO}.includes('arker 1')")
    quiet(page)
    assert asked and all(url.endswith("parts=") for url in asked), asked

"""The tour, done as it says, on the real screen."""

import json

from tests.journeys.conftest import axe, wait


def step(page, number):
    wait(page, f"document.querySelector('#tour-count')?.textContent === '{number}'")
    page.wait_for_timeout(300)


def see_ring(page, selector):
    """Wait until the ring is about an element: it goes there once that has its place."""
    boxes = f"""(() => {{
        const boxOf = (name) => document.querySelector(name)?.getBoundingClientRect();
        const [ring, it] = ["#tour-ring", {json.dumps(selector)}].map(boxOf);
        const near = (side) => Math.abs(ring[side] + 4 - it[side]) < 3;
        return Boolean(ring && it && ring.width > 0 && near("left") && near("top"));
    }})()"""
    wait(page, boxes)


def test_the_tour_is_done_in_eight_steps_left_and_gone_on_with(page):
    page.goto("/")
    page.click("#show-me")
    page.wait_for_url("**/bench")
    step(page, 1)
    see_ring(page, "#play")
    assert axe(page) == []
    page.click("#play")
    step(page, 2)
    page.click("#play")
    wait(page, "document.querySelector('#hits').textContent !== '–'")
    page.focus("#mark-low")
    page.press("#mark-low", "ArrowRight")
    step(page, 3)
    page.click("#tour-leave")
    assert page.is_hidden("#tour")
    page.goto("/")
    page.click("#show-me")  # it goes on where it was left, in the same project
    page.wait_for_url("**/bench")
    step(page, 3)
    see_ring(page, "#rooms [href$='/sound']")
    page.click("#rooms [href$='/sound']")
    step(page, 4)
    page.wait_for_selector("#spectrogram")
    box = page.locator("#spectrogram").bounding_box()
    page.mouse.move(box["x"] + 200, box["y"] + 0.4 * box["height"])
    page.mouse.down()
    page.mouse.move(box["x"] + 400, box["y"] + 0.55 * box["height"], steps=6)
    page.mouse.up()
    step(page, 5)
    page.click("#rooms [href$='/stage']")
    step(page, 6)
    page.click("#tour-skip")
    step(page, 7)
    page.click("#bake")
    step(page, 8)
    page.click("#rooms [href$='/hand-off']")
    page.wait_for_selector("#write-svg:not([disabled])")
    wait(page, "document.querySelector('#tour-ring').hidden === false")
    with page.expect_download():
        page.click("#write-svg")
    page.wait_for_selector("#tour-end")
    page.click("#tour-leave")
    page.reload()
    page.wait_for_selector("#write-svg")
    assert page.is_hidden("#tour")

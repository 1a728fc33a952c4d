"""Parts chosen together on the Stage, as a person does it; actions are counted."""

import json
import random

import numpy as np
from tests.conftest import drums, wav
from tests.journeys.conftest import axe, start_empty, stop_clock, stored, wait

SONG = wav(drums(seconds=4.0), rate_hz=44_100)
PLACES = list(range(20))
random.Random(4).shuffle(PLACES)
BARS = "".join(
    f'<rect id="bar-{n}" x="{20 + 46 * place}" y="{300 - 40 - 9 * (n % 7)}" width="30" height="{40 + 9 * (n % 7)}" '
    'fill="#3e6b3a"/>'
    for n, place in enumerate(PLACES, 1)
)
SVG = (
    '<?xml version="1.0"?><!DOCTYPE svg [<!ENTITY ns "http://www.w3.org/2000/svg">]>'
    f'<svg xmlns="&ns;" viewBox="0 0 960 320">{BARS}<circle id="sun" cx="900" cy="40" r="20" fill="#d9a431"/></svg>'
)
EDGES = (
    "[...document.querySelectorAll('[id^=stage-bar-]')]"
    ".map((bar) => bar.getBoundingClientRect()).map(({ top, bottom }) => [top, bottom])"
)
CHOSEN = "[...document.querySelectorAll('.tree-row[aria-selected=true]')].map((row) => row.dataset.part)"


def dropped(page):
    page.goto("/")
    files = [("bars.svg", "image/svg+xml", SVG.encode()), ("Drums.wav", "audio/wav", SONG)]
    page.set_input_files(
        "#file", [{"name": name, "mimeType": kind, "buffer": content} for name, kind, content in files]
    )
    page.wait_for_url("**/bench")
    page.wait_for_selector(".cut-row")


def on_stage(page):
    page.click("#rooms >> text=Stage")
    page.wait_for_selector("[data-select='bar-1']")


def bar(page, number):
    box = page.locator(f"#stage-bar-{number}--own").bounding_box()
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def test_twenty_shuffled_bars_each_its_own_band_in_six_actions(page):
    dropped(page)  # one
    on_stage(page)  # two
    page.mouse.click(*bar(page, 3))  # three
    wait(page, "document.querySelector('#part-name')?.value === 'bar-3'")
    page.click("#choose-alike")  # four
    page.wait_for_selector("#several-title:has-text('20 bars')")
    page.click("[data-all-anchor='bottom']")  # five
    wait(page, "document.querySelector('#undo').title.includes('20 anchors at the bottom')")
    page.click("[data-drive-all='scale_y']")  # six
    wait(page, "document.querySelector('#undo').title.includes('Drive the height of 20 bars')")
    kept = "JSON.parse(sessionStorage.getItem(`ft:${document.body.dataset.project}:selection`)).mapping"
    drives = stored(page, f"bench/sheet?mapping={page.evaluate(kept)}", "[data-mapping-json]")
    left_to_right = [f"bar-{1 + PLACES.index(place)}" for place in range(20)]
    assert drives["spread"] and [item["target"]["part"] for item in drives["drives"]] == left_to_right
    seen = []
    for frame in range(0, 120, 2):
        page.evaluate(f"script('transport').then((m) => m.transport.seek({frame}))")
        seen.append(page.evaluate(EDGES))
    tops, bases = ([[bar[end] for bar in frame] for frame in seen] for end in (0, 1))
    assert max(max(one) - min(one) for one in zip(*bases, strict=True)) < 0.6, "the bases stay"
    assert min(max(one) - min(one) for one in zip(*tops, strict=True)) > 2, "every bar grows"


def test_shift_and_ctrl_in_the_tree_a_box_the_others_a_name_and_escape(page):
    dropped(page)
    on_stage(page)
    page.click("[data-select='bar-2']")
    wait(page, "document.querySelector('#part-name')?.value === 'bar-2'")
    page.click("[data-select='bar-5']", modifiers=["Shift"])
    wait(page, f"{CHOSEN}.join() === 'bar-2,bar-3,bar-4,bar-5'")
    page.click("[data-select='bar-3']", modifiers=["Control"])
    wait(page, f"{CHOSEN}.join() === 'bar-2,bar-4,bar-5'")
    assert page.locator(".order-line").get_attribute("points").count(",") == 3 and axe(page) == []
    page.keyboard.down("Shift")
    page.mouse.click(*bar(page, 9))
    page.keyboard.up("Shift")
    wait(page, f"{CHOSEN}.join() === 'bar-2,bar-4,bar-5,bar-9'")
    page.fill("#selection-name", "Posts")
    page.press("#selection-name", "Enter")
    page.wait_for_selector("[data-selection='posts'][aria-pressed='true']")
    page.click("[data-choose-how='others']")
    wait(page, f"{CHOSEN}.includes('sun') && !{CHOSEN}.includes('bar-9')")
    page.keyboard.press("Escape")
    wait(page, f"{CHOSEN}.length === 1")
    page.click("[data-selection='posts']")
    wait(page, f"{CHOSEN}.join() === 'bar-2,bar-4,bar-5,bar-9'")
    page.keyboard.press("Escape")
    page.wait_for_selector("#part-name")
    page.click("#box-parts")
    stage = page.locator("#stage svg").first.bounding_box()
    page.mouse.move(stage["x"] + 2, stage["y"] + stage["height"] * 0.5)
    page.mouse.down()
    page.mouse.move(stage["x"] + stage["width"] - 2, stage["y"] + stage["height"] - 2, steps=5)
    page.mouse.up()
    wait(page, f"{CHOSEN}.length === 20 && !{CHOSEN}.includes('sun')")
    page.reload()
    page.wait_for_selector("#several-title:has-text('20 bars')")
    line = "[...document.querySelector('.order-line').points].map(({ x, y }) => `${x} ${y}`).join()"
    before = None
    while before != (before := page.evaluate(line)):  # the page is laid out anew while it opens
        page.wait_for_timeout(400)
    page.hover("#line-order-shuffled")
    wait(page, f"{line} !== {json.dumps(before)}")
    page.hover("#several-title")
    wait(page, f"{line} === {json.dumps(before)}")


def test_values_limits_and_lateness_of_all_by_keyboard(page):
    dropped(page)
    on_stage(page)
    page.click("[data-select='bar-1']")
    page.wait_for_selector("[data-part-json='bar-1']", state="attached")
    wait(page, f"{CHOSEN}.join() === 'bar-1'")
    page.focus("[data-select='bar-1']")
    page.keyboard.press("Shift+ArrowDown")
    wait(page, f"{CHOSEN}.join() === 'bar-1,bar-2'")
    page.keyboard.press("Shift+ArrowDown")
    wait(page, f"{CHOSEN}.join() === 'bar-1,bar-2,bar-3'")
    page.fill("#all-turn", "4")
    page.press("#all-turn", "Enter")
    wait(page, "document.querySelector('#undo').title === 'Undo: Set the turn of 3 parts'")
    page.click("[data-limits-of='turn']")
    page.fill("#all-limit-high", "9")
    page.press("#all-limit-high", "Enter")
    wait(page, "document.querySelector('#undo').title === 'Undo: Limit the turn of 3 parts'")
    page.click("[data-takes='later']")
    page.wait_for_selector("#line-late")
    page.fill("#line-late", "6")
    page.press("#line-late", "Enter")
    page.click("[data-drive-all='turn']")
    wait(page, "document.querySelector('#undo').title === 'Undo: Drive the turn of 3 bars'")
    mapping = stored(page, "bench/sheet?mapping=3-bars-turn", "[data-mapping-json='3-bars-turn']")
    assert sorted(item["late_frames"] for item in mapping["drives"]) == [0, 3, 6]


def test_a_chosen_part_gets_suggestions_that_are_seen_by_pointing(demo):
    demo.click("#rooms >> text=Stage")
    demo.click("[data-select='moth-one']")
    wait(demo, "document.querySelector('#part-name')?.value === 'Moth one'")
    demo.click("#suggest-parts")
    demo.wait_for_selector("[data-pick='suggestion']")
    assert axe(demo) == []
    groups = "[...document.querySelectorAll('[id^=stage-moth-one--]')].map((g) => g.outerHTML.slice(0, 200)).join()"
    demo.evaluate("script('transport').then((m) => m.transport.seek(500))")
    still = demo.evaluate(groups)
    demo.hover("[data-pick='suggestion'] >> nth=0")
    wait(demo, f"{groups} !== {json.dumps(still)}")
    demo.mouse.move(640, 700)
    wait(demo, f"{groups} === {json.dumps(still)}")
    demo.click("[data-pick='suggestion'] >> nth=0")
    wait(demo, "document.querySelector('#undo').title.startsWith('Undo: Let the moth one')")


def test_bars_move_as_one_about_a_common_anchor_and_the_file_says_the_same(page):
    dropped(page)
    start_empty(page)
    on_stage(page)
    page.click("[data-select='bar-2']")
    page.wait_for_selector("#part-name")
    page.click("#choose-alike")
    page.wait_for_selector("#several-title:has-text('20 bars')")
    page.click("#gather")
    wait(page, "document.querySelector('#part-name')?.value === '20 bars'")
    assert axe(page) == []
    page.click("[data-drive-it='20-bars:turn']")
    wait(page, "document.querySelector('#undo').title === 'Undo: Add 20 bars turn'")
    frames = [0, 9, 17, 30, 47, 61]
    places = """[...Array(20).keys()].map((n) => document.querySelector(`#NAME-${n + 1}END`))
        .map((bar) => bar.getCTM()).map(({ a, b, c, d, e, f }) => [a, b, c, d, e, f])"""
    on_screen = []
    for frame in frames:
        page.evaluate(f"script('transport').then((m) => m.transport.seek({frame}))")
        page.wait_for_timeout(200)
        on_screen.append(page.evaluate(places.replace("NAME", "stage-bar").replace("END", "--own")))
    turned = np.array(on_screen)
    assert np.ptp(turned[:, 0, 1]) > 0.02, "it turns"
    assert np.abs(turned - turned[:, :1]).max() < 1e-6, "each by the same, about one point"
    page.press("body", "4")
    page.wait_for_selector("#write-svg")
    with page.expect_download() as download:
        page.click("#write-svg")
    svg = download.value.path().read_text()
    alone = page.context.new_page()
    alone.route("**/alone.svg", lambda route: route.fulfill(body=svg, content_type="image/svg+xml"))
    alone.goto("/alone.svg")
    alone.evaluate("document.documentElement.setAttribute('width', 960)")
    alone.evaluate("document.documentElement.setAttribute('height', 320)")
    stop_clock(alone)
    for frame, shown in zip(frames, on_screen, strict=True):
        alone.evaluate(f"document.documentElement.setCurrentTime({frame} / 30)")
        written = alone.evaluate(places.replace("NAME", "bar").replace("END", ""))
        np.testing.assert_allclose(written, shown, atol=2e-4)

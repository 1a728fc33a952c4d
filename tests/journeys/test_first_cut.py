"""The first minute: a dropped sound moves something at once; any property is picked by keyboard or on the stage."""

import json

import numpy as np
from tests.conftest import drums, wav
from tests.gltf import GLB
from tests.journeys.conftest import axe, draw_anew, wait

RATE_HZ = 44_100
SONG = wav(drums(seconds=8.0) + 0.1 * np.sin(np.arange(8 * RATE_HZ) * 0.05) ** 2, rate_hz=RATE_HZ, subtype="PCM_16")
BARS = "".join(
    f'<rect id="bar-{place}" x="{20 + at * 45}" y="{200 - 7 * (at % 5)}" width="30" height="{60 + 7 * (at % 5)}"/>'
    for place, at in enumerate((7, 3, 11, 0, 5, 9, 1, 10, 2, 8, 4, 6))
)


def drop(page, *files):
    page.goto("/")
    kinds = {"wav": "audio/wav", "svg": "image/svg+xml", "glb": "model/gltf-binary"}
    page.set_input_files(
        "#file",
        [{"name": name, "mimeType": kinds[name.rsplit(".", 1)[1]], "buffer": content} for name, content in files],
    )
    page.wait_for_url("**/bench" if any(name.endswith(".wav") for name, _ in files) else "**/stage")


def words(page):
    return page.locator(".cut-row b").all_text_contents()


def undo_says(page, text):
    wait(page, f"document.querySelector('#undo').title === {json.dumps('Undo: ' + text)}")


def test_a_dropped_song_plays_a_first_cut_that_is_refused_in_part_kept_and_taken_back(page):
    drop(page, ("Rain drums.wav", SONG))
    page.wait_for_selector(".cut-row")  # one action: something moves
    wait(page, "document.querySelector('#play').getAttribute('aria-label') === 'Stop'")
    wait(page, "document.querySelector('#heard').currentTime > 0.2")
    page.click("#play")
    first = words(page)
    page.hover(".cut-row >> nth=0")
    wait(page, "document.querySelector('#spotlight').getAttribute('visibility') === 'visible'")
    holes = page.eval_on_selector("#spotlight path", "hole => hole.getAttribute('d')")
    moved = json.loads(page.get_attribute(".cut-row >> nth=0", "data-parts"))
    assert 1 <= holes.count("Z") <= len(moved)
    page.mouse.move(2, 400)
    wait(page, "document.querySelector('#spotlight').getAttribute('visibility') === 'hidden'")
    assert 3 <= len(first) <= 6 and page.locator("canvas[data-lane]").count() == len(first)
    assert axe(page) == []
    page.click("#cut-another")
    wait(page, "document.querySelector('.cut p').textContent.includes('number 2')")
    page.click(".check >> nth=0")
    wait(page, "document.querySelector('.check').getAttribute('aria-checked') === 'false'")
    left = len(words(page)) - 1
    assert page.inner_text("#cut-keep") == f"Keep these {left}"
    page.click("#cut-keep")
    page.wait_for_selector("#plot")
    assert page.locator("canvas[data-lane]").count() == left
    page.click("#undo")
    page.wait_for_selector("#cut-keep")


def test_what_is_kept_as_it_came_is_taken_back_by_one_undo_and_can_be_made_again(page):
    drop(page, ("Rain drums.wav", SONG))
    page.wait_for_selector("#cut-keep")
    page.click("#cut-keep")
    undo_says(page, "Keep the first cut of Rain drums")
    page.click("#undo")
    page.wait_for_selector("#cut-make")
    assert page.locator("canvas[data-lane]").count() == 0
    page.click("#cut-make")
    page.wait_for_selector(".cut-row")
    page.click("#cut-drop")
    page.wait_for_selector("#first-target")


def test_four_actions_from_a_song_to_a_file_in_hand(page):
    drop(page, ("Rain drums.wav", SONG))  # one
    page.wait_for_selector(".cut-row")
    page.click("#cut-keep")  # two
    page.click("#rooms >> text=Hand-off")  # three
    assert "Bake and write" in page.inner_text("#write-csv") and page.is_visible("#stale-words")
    with page.expect_download() as got:
        page.click("#write-csv")  # four: baked, written, read back and saved
    assert got.value.path().read_text().startswith("frame,time_s,")
    wait(page, "document.querySelector('#bake').textContent === 'All curves baked'")
    wait(page, "document.querySelector('#stale-words') === null && document.querySelector('#download-csv') !== null")
    page.click("#undo")  # what was written is not of what is there now
    wait(page, "document.querySelector('#download-csv') === null")


def test_a_drawing_and_a_song_dropped_together_grow_bar_by_bar(page):
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 580 320">{BARS}</svg>'
    drop(page, ("bars.svg", svg.encode()), ("Rain drums.wav", SONG))
    page.wait_for_selector(".cut-row")
    assert any("12 bars" in text or "twelve bars" in text for text in words(page)), words(page)


def test_stems_dropped_together_are_one_project_and_what_is_none_is_said_there(page):
    page.expect_console("the server responded with a status of 4")
    drop(page, ("Rain_Kick.wav", SONG), ("Rain_Torn.wav", b"RIFF"), ("Rain_Pad.wav", SONG))
    wait(page, "document.querySelector('#notice-words').textContent.startsWith('Rain_Torn.wav: ')")
    page.wait_for_selector(".cut-row")
    page.click("#rooms a[href$='/sound']")
    page.wait_for_selector("[data-show-track='pad']")
    assert page.locator("[data-show-track]").count() == 2 and page.input_value("#project-name") == "Rain"
    page.reload()
    page.wait_for_selector("[data-show-track='pad']")
    assert not page.is_visible("#notice")


def test_a_whole_project_is_not_dropped_with_other_files_and_none_is_taken_then(page):
    page.goto("/")
    before = page.locator("main li").count()
    files = [("Rain.wav", SONG), ("Night.ferntide", b"PK")]
    page.set_input_files("#file", [{"name": name, "mimeType": "", "buffer": content} for name, content in files])
    page.wait_for_selector(
        "#drop-words.wrong:has-text('Night.ferntide is a whole project: drop it without other files.')"
    )
    page.reload()
    assert page.locator("main li").count() == before


def test_what_of_a_drop_is_left_out_is_said_on_the_stage_that_it_starts(page):
    for known in ("GPU stall", "extras.targetNames"):  # drawn without a graphics card; the file names one target of two
        page.expect_console(known)
    drop(page, ("fern.glb", GLB), ("bars.svg", f'<svg xmlns="http://www.w3.org/2000/svg">{BARS}</svg>'.encode()))
    wait(page, "document.querySelector('#notice-words').textContent.includes('bars.svg is in no model')")
    page.wait_for_selector(".tree-row[data-part]")


def test_a_property_is_picked_by_keyboard_alone(page):
    drop(page, ("Rain drums.wav", SONG))
    page.wait_for_selector(".cut-row")
    page.click("#cut-drop")
    page.wait_for_selector("#first-target")
    page.focus("#first-target")
    page.keyboard.press("Enter")
    page.wait_for_selector("#picker .picker-row")
    page.keyboard.type("moth tu")
    wait(page, "document.querySelectorAll('#picker [data-target$=\":turn\"]').length === 2")
    assert axe(page) == []
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    wait(page, "document.querySelector('#mapping-name')?.value === 'Moth two turn'")
    assert not page.is_visible("#picker")
    page.click("#target")  # what was used last is first
    page.wait_for_selector("#picker .picker-title:has-text('Used last')")
    page.keyboard.press("Escape")
    assert not page.is_visible("#picker")


def test_pointing_at_a_property_tries_it_and_the_stage_gives_what_is_clicked(demo):
    still = demo.get_attribute("#stage-title--turn", "transform")
    demo.click("#add-target")
    demo.fill("#picker-find", "title tur")
    row = demo.locator("#picker [data-target='title:turn']")
    row.wait_for()
    row.hover()
    demo.mouse.move(*[value + 3 for value in (row.bounding_box()["x"], row.bounding_box()["y"])])
    wait(demo, f"document.querySelector('#stage-title--turn').getAttribute('transform') !== {json.dumps(still)}")
    demo.keyboard.press("Escape")
    wait(demo, f"document.querySelector('#stage-title--turn').getAttribute('transform') === {json.dumps(still)}")
    bulb = demo.locator("#stage-lamp-bulb--own").bounding_box()
    demo.mouse.move(bulb["x"] + bulb["width"] / 2, bulb["y"] + bulb["height"] / 2)
    wait(demo, "document.querySelector('.stage-name').textContent === 'Lamp bulb'")
    demo.mouse.click(bulb["x"] + bulb["width"] / 2, bulb["y"] + bulb["height"] / 2)
    demo.click("#picker [data-target='lamp-bulb:turn']")
    wait(demo, "document.querySelector('#mapping-name').value === 'Lamp bulb turn'")


def test_an_envelope_gets_suggestions(demo):
    demo.click("#suggest")
    demo.wait_for_selector("[data-pick='suggestion']")
    demo.click("[data-pick='suggestion'] >> nth=0")
    wait(demo, "document.querySelector('#undo').title.startsWith('Undo: Let the ')")


def test_what_is_picked_counts_though_the_page_was_drawn_anew_meanwhile(demo):
    demo.click("#add-target")
    demo.fill("#picker-find", "title")
    demo.click("#picker-rows [data-open='title']")
    draw_anew(demo, "#add-target")
    demo.click("#picker-rows [data-target='title:fill']")
    wait(demo, "document.querySelector('#mapping-name').value === 'Title fill'")


def test_a_long_name_sticks_out_of_nothing(page):
    drop(page, (f"{'A rehearsal that goes on and on, ' * 5}take 17.wav", SONG))
    page.wait_for_selector(".cut-row")
    edge = "document.querySelector('#sheet').getBoundingClientRect().right + 1"
    out = (
        f"[...document.querySelectorAll('#sheet *')].filter((one) => one.getBoundingClientRect().right > {edge}).length"
    )
    assert page.evaluate(out) == 0

"""The rooms as people meet them: wrong files, empty projects, keyboard, other sizes, and no finding of axe."""

import re

import pytest
from tests.conftest import drums, wav
from tests.core.sound.test_decode import WRONG
from tests.journeys.conftest import axe, draw_anew, open_sound, wait

SOUND = wav(drums(), rate_hz=44_100)
SHOWN = {"empty", "text", "truncated flac", "wav that claims 40 hours"}


def test_no_room_has_a_serious_finding_of_axe(demo):
    for key, selector in (("3", "#plot"), ("1", "#trace"), ("4", "#curves-title")):
        demo.press("body", key)
        demo.wait_for_selector(selector)
        demo.wait_for_timeout(300)
        assert axe(demo) == []
    demo.click("#bake")
    demo.wait_for_selector("#keys-plot", state="attached")
    demo.click("#write-csv")  # at once: the room is drawn anew meanwhile
    demo.wait_for_selector("#download-csv")
    demo.click("[data-curve='frond-left:turn']")  # looking at another curve takes nothing away
    wait(demo, "document.querySelector('#keys-plot').dataset.target === 'frond-left:turn'")
    assert axe(demo) == []
    demo.click("#show-write")
    assert demo.is_visible("#download-csv")
    assert axe(demo) == []
    demo.press("body", "?")
    assert demo.is_visible("#keys")
    demo.fill("#find-word", "level silence")
    assert demo.locator("#words li:not([hidden])").count() == 0 and demo.is_visible("#no-word")
    demo.fill("#find-word", "LOW water")
    assert demo.locator("#words li:not([hidden]) b").all_inner_texts() == ["low and high water", "lift"]
    assert axe(demo) == []
    demo.goto("/")
    assert axe(demo) == []


def test_an_empty_bench_and_a_missing_page_have_no_finding_either(page):
    open_sound(page, SOUND, room="bench")
    page.wait_for_selector("#first-target")
    assert axe(page) == []
    page.expect_console("404")
    page.goto("/p/000000000000/bench")
    assert "does not exist" in page.inner_text("h1")
    assert axe(page) == []


def test_a_wrong_file_is_explained_beside_the_place_where_it_was_dropped(page):
    page.expect_console("the server responded with a status of 4")
    page.goto("/")
    before = page.locator("main li").count()
    for name in sorted(SHOWN):
        content, words = WRONG[name]
        file = f"{name}.wav"
        page.set_input_files("#file", {"name": file, "mimeType": "audio/wav", "buffer": content})
        page.wait_for_selector(f"#drop-words.wrong:has-text('{file}: ')")
        said = page.inner_text("#drop-words")
        assert said.startswith(f"{file}: ") and re.search(words, said)
    page.reload()
    assert page.locator("main li").count() == before


def test_marks_and_numbers_are_reached_by_keyboard(demo):
    demo.focus("#mark-low")
    was = float(demo.get_attribute("#mark-low", "aria-valuenow"))
    demo.keyboard.press("Shift+ArrowRight")
    wait(demo, "document.querySelector('#undo').title === 'Undo: Move low water of Lamp glow'")
    wait(demo, f"+document.querySelector('#mark-low').getAttribute('aria-valuenow') > {was}")
    demo.focus("#at-full")
    demo.keyboard.press("ArrowDown")
    wait(demo, "document.querySelector('#undo').title === 'Undo: Set the opacity of Lamp glow at full'")
    assert demo.input_value("#at-full") == "0.99"
    demo.keyboard.press("Control+a")
    demo.keyboard.type("0,5")
    demo.keyboard.press("Enter")
    wait(demo, "document.querySelector('#lane-lamp-glow-full').value === '0.5'")
    demo.fill("#at-full", "much")
    demo.keyboard.press("Enter")
    assert demo.get_attribute("#at-full", "aria-invalid") == "true"
    assert "Use a number" in demo.inner_text(".said-beside")
    demo.dblclick("#at-full")
    wait(demo, "document.querySelector('#at-full').value === '1'")


def test_a_mark_is_dragged_in_the_lane_of_a_mapping_that_is_not_chosen(demo):
    lane = demo.locator('canvas[data-lane="frond-sway"]')
    box = lane.bounding_box()
    for y in range(2, 40):
        demo.mouse.move(box["x"] + 400, box["y"] + y)
        if lane.evaluate("canvas => canvas.style.cursor") == "ns-resize":
            break
    demo.mouse.down()
    for step in range(10):
        demo.mouse.move(box["x"] + 400, box["y"] + y + step)
        demo.wait_for_timeout(20)
    demo.mouse.up()
    wait(demo, "document.querySelector('#undo').title === 'Undo: Move high water of Frond sway'")
    wait(demo, "document.querySelector('#mapping-name').value === 'Frond sway'")


def test_numbers_are_dragged_sideways(demo):
    box = demo.locator("#lane-cloche-tops-full").bounding_box()
    demo.mouse.move(box["x"] + 20, box["y"] + 8)
    demo.mouse.down()
    demo.mouse.move(box["x"] + 60, box["y"] + 8, steps=8)
    assert demo.input_value("#lane-cloche-tops-full") == "1.74"  # a notch every two pixels
    demo.mouse.up()
    wait(demo, "document.querySelector('#undo').title.startsWith('Undo: Set the height of Cloche')")


def test_the_wheel_zooms_and_a_selection_loops(demo):
    ribbon = demo.locator("#ribbon").bounding_box()
    demo.mouse.move(ribbon["x"] + 300, ribbon["y"] + 40)
    demo.mouse.wheel(0, -900)
    demo.wait_for_timeout(200)
    demo.mouse.move(ribbon["x"] + 300, ribbon["y"] + 40)
    demo.mouse.down()
    demo.mouse.move(ribbon["x"] + 360, ribbon["y"] + 40, steps=5)
    demo.mouse.up()
    kept = "JSON.parse(sessionStorage['ft:' + document.body.dataset.project])"
    first, last = demo.evaluate(f"{kept}.selection")
    assert 8 < last - first < 30  # the whole song is 1349 frames wide
    demo.press("body", "l")
    demo.press("body", " ")
    for _ in range(12):
        demo.wait_for_timeout(150)
        assert first <= demo.evaluate(f"{kept}.frame") <= last
    demo.press("body", " ")


def test_mappings_are_muted_moved_renamed_and_deleted(demo):
    names = "[...document.querySelectorAll('[data-select]')].map(item => item.textContent.trim())"
    demo.click('[data-act="down"][data-mapping="lamp-glow"]', force=True)
    wait(demo, f"{names}[1] === 'Lamp glow'")
    demo.click('[data-act="mute"][data-mapping="lamp-glow"]', force=True)
    wait(demo, "document.querySelector('[data-mapping=lamp-glow]').dataset.muted === 'true'")
    demo.click('[data-select="frond-sway"]')
    wait(demo, "document.querySelector('#mapping-name').value === 'Frond sway'")
    demo.fill("#mapping-name", "Ferns lean")
    demo.press("#mapping-name", "Enter")
    wait(demo, f"{names}.includes('Ferns lean')")
    demo.click('[data-act="delete"][data-mapping="frond-sway"]', force=True)
    wait(demo, f"{names}.length === 3")
    demo.click("#undo")
    wait(demo, f"{names}.length === 4")
    demo.select_option("#envelope", "reed")
    wait(demo, "document.querySelector('#undo').title.includes('Let Reed drive')")


def test_a_step_is_added_tuned_switched_off_and_taken_off(demo):
    demo.click("#add-step")
    demo.click("[data-pick='step'][data-id='stairs']")
    demo.wait_for_selector("#step-0-levels")
    demo.fill("#step-0-levels", "3")
    demo.press("#step-0-levels", "Enter")
    wait(demo, "document.querySelector('#undo').title === 'Undo: Tune stairs of Lamp glow'")
    demo.uncheck("#step-0-on")
    wait(demo, "document.querySelector('#undo').title === 'Undo: Tune stairs of Lamp glow'")
    demo.click('[data-act="drop"][data-path="steps.0"]')
    wait(demo, "!document.querySelector('#step-0-on')")


def test_a_track_and_an_envelope_come_and_go_in_the_sound_room(page):
    open_sound(page, SOUND, room="sound")
    page.wait_for_selector("#trace")
    page.set_input_files(
        "#file",
        {
            "name": "Tick.flac",
            "mimeType": "audio/flac",
            "buffer": wav(drums(), rate_hz=44_100, kind="FLAC", subtype="PCM_16"),
        },
    )
    page.wait_for_selector("#track-tick-name")
    page.click("[data-show-track='rain-drums']")
    wait(page, "document.querySelector('#ribbon').dataset.track === 'rain-drums'")
    page.select_option("#add-envelope", "bank")
    page.wait_for_selector("#reading-bands")
    page.fill("#reading-bands", "5")
    page.press("#reading-bands", "Enter")
    wait(page, "document.querySelector('#undo').title.includes('Tune Band bank')")
    page.fill("#reading-bands", "500")
    page.press("#reading-bands", "Enter")
    assert page.get_attribute("#reading-bands", "aria-invalid") == "true"
    draw_anew(page, "#reading-bands")
    assert (
        page.get_attribute("#reading-bands", "aria-invalid") == "true" and page.input_value("#reading-bands") == "500"
    )
    assert page.is_visible(".said-beside")
    page.click("[data-show-track='tick']")
    wait(page, "document.querySelector('#ribbon').dataset.track === 'tick'")
    page.click('[data-remove-track="tick"]')
    wait(page, "!document.querySelector('#remove-ask').hidden")
    page.click("[data-keep]")
    assert page.is_visible("#track-tick-name")
    page.click("[data-show-envelope='tick']")
    page.wait_for_selector('[data-remove-envelope="tick"]')
    page.click('[data-remove-envelope="tick"]')
    wait(page, "!document.querySelector('[data-show-envelope=tick]')")
    page.click("[data-show-track='tick']")
    wait(page, "document.querySelector('#ribbon').dataset.track === 'tick'")
    page.click('[data-remove-track="tick"]')
    wait(page, "!document.querySelector('#track-tick-name')")


def test_a_project_is_deleted_and_put_back(page):
    open_sound(page, SOUND, room="bench", name="Short life.wav")
    page.goto("/")
    page.click('[aria-label="Delete Short life"]')
    wait(page, "document.querySelector('#notice-words').textContent === 'Short life was deleted.'")
    assert page.locator("li:visible >> text=Short life").count() == 0
    page.click("#notice-act")
    page.wait_for_selector("li:visible >> text=Short life")


SIZES = [(1180, 720, 100), (1280, 800, 100), (1280, 800, 90), (1280, 800, 125), (2560, 1440, 100)]
OUTSIDE = """[...document.querySelectorAll("header *, footer *, .panel, .stage, .field, .plot, h2, .btn")]
    .filter(item => { const box = item.getBoundingClientRect();
        return box.width && !item.closest(".overflow-y-auto, .lanes-scroll, .steps, [hidden], dialog")
            && (box.right > innerWidth + 0.5 || box.bottom > innerHeight + 0.5 || box.left < -0.5); })
    .map(item => item.outerHTML.slice(0, 90))"""


def test_nothing_sticks_out_at_any_size(demo):
    for key, selector in (("1", "#trace"), ("2", "#tree"), ("4", "#curves-title"), ("3", "#plot")):
        demo.press("body", key)
        demo.wait_for_selector(selector)
        for width, height, size in SIZES:
            demo.set_viewport_size({"width": width, "height": height})
            demo.select_option("#size", str(size))
            demo.wait_for_timeout(200)
            assert demo.evaluate(OUTSIDE) == [], (width, height, size)
        demo.select_option("#size", "100")
        demo.evaluate("document.activeElement.blur()")


def test_everything_grows_with_the_window_and_the_size_stays(demo):
    letter = "parseFloat(getComputedStyle(document.querySelector('#mapping-name')).fontSize)"
    assert demo.evaluate(letter) == 17
    demo.set_viewport_size({"width": 2560, "height": 1440})
    assert demo.evaluate(letter) == 17 * 20 / 16
    demo.select_option("#size", "110")
    assert demo.evaluate(letter) == pytest.approx(17 * 20 / 16 * 1.1)
    demo.reload()
    demo.wait_for_selector("#mapping-name")
    assert demo.evaluate(letter) == pytest.approx(17 * 20 / 16 * 1.1)
    demo.goto("/")
    assert demo.input_value("#size") == "110"
    demo.select_option("#size", "100")


def test_parts_of_the_sheet_fold_and_stay_folded_when_it_is_drawn_anew(demo):
    demo.click("#part-clean-up summary")
    assert "Rise and fall, Smooth" in demo.inner_text("#part-clean-up") and not demo.is_visible("#add-clean-up")
    draw_anew(demo, "#part-clean-up")
    assert not demo.is_visible("#add-clean-up") and demo.is_visible("#add-step")
    demo.click("#part-clean-up summary")
    assert demo.is_visible("#add-clean-up")

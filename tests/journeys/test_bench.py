"""The Bench under the hand: steps, curves, versions, recipes, copies, reasons, and how lanes are looked at."""

import json

import pytest
from tests.journeys.conftest import axe, pick, stored, wait

from fern_tide.core.mapping.recipe import write_recipes
from fern_tide.core.mapping.starting_recipes import STARTING

UNDO = "document.querySelector('#undo').title"
SEEK = "script('transport').then((m) => m.transport.seek({}))"


def mapping_json(page, key="lamp-glow"):
    """A mapping as the server has it now."""
    return stored(page, f"bench/sheet?mapping={key}", f"[data-mapping-json='{key}']")


def undo_says(page, words):
    wait(page, f"{UNDO}.includes({json.dumps(words)})")


def pixels(page, selector):
    """What a canvas shows, as text, to tell one drawing from another."""
    return page.evaluate(f"document.querySelector({json.dumps(selector)}).toDataURL()")


def add_step(page, name):
    page.click("#add-step")
    page.click(f"[data-pick='step'][data-id='{name}']")
    undo_says(page, "Add ")
    wait(page, "document.querySelector('#drawer').hidden")


def middle(page, selector):
    box = page.locator(selector).first.bounding_box()
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def drag(page, start, end):
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move(*end, steps=6)
    page.mouse.up()


def test_a_step_is_found_seen_before_it_is_added_and_then_added(demo):
    lane = "[data-lane='lamp-glow']"
    wait(demo, "document.querySelector('#hits').textContent !== '–'")
    demo.wait_for_timeout(300)
    before = pixels(demo, lane)
    demo.click("#add-step")
    demo.wait_for_selector("#drawer-find:focus")
    assert axe(demo) == []
    demo.keyboard.type("comes in at")
    assert [card.get_attribute("data-id") for card in demo.locator("[data-pick]:visible").all()] == ["wrap"]
    demo.fill("#drawer-find", "zzz")
    demo.wait_for_selector("[data-none]:not([hidden])")
    demo.fill("#drawer-find", "upside")
    demo.fill("#drawer-find", "")
    demo.hover("[data-pick='step'][data-id='flip']")
    wait(demo, f"document.querySelector({json.dumps(lane)}).toDataURL() !== {json.dumps(before)}")
    assert mapping_json(demo)["steps"] == [] and demo.get_attribute("#undo", "title") == "Nothing to undo"
    demo.keyboard.press("Escape")
    wait(demo, f"document.querySelector({json.dumps(lane)}).toDataURL() === {json.dumps(before)}")
    assert demo.evaluate("document.activeElement.id") == "add-step"
    demo.keyboard.press("Enter")
    demo.wait_for_selector("#drawer-find:focus")
    demo.keyboard.type("stairs")
    demo.keyboard.press("Enter")
    demo.wait_for_selector("#step-0-levels")
    assert [step["id"] for step in mapping_json(demo)["steps"]] == ["stairs"]


ORDER = "[...document.querySelectorAll('[data-ordered][data-path^={}] b')].map((e) => e.textContent).join()"


def test_steps_are_put_in_order_by_hand_and_by_keys_and_doubled(demo):
    for name in ("stairs", "flip", "exponent"):
        add_step(demo, name)
    order, rows = ORDER.format("steps"), "[data-ordered][data-path^=steps]"
    wait(demo, f"{order} === 'Stairs,Flip,Exponent'")
    demo.locator(f"{rows} [data-handle]").first.scroll_into_view_if_needed()
    second = demo.locator(rows).nth(1).bounding_box()
    handle = middle(demo, f"{rows} [data-handle]")
    drag(demo, handle, (handle[0], second["y"] + second["height"] - 2))
    wait(demo, f"{order} === 'Flip,Stairs,Exponent'")
    assert [step["id"] for step in mapping_json(demo)["steps"]] == ["flip", "stairs", "exponent"]
    demo.focus("#step-2-handle")
    demo.keyboard.press("ArrowUp")
    wait(demo, f"{order} === 'Flip,Exponent,Stairs'")
    demo.keyboard.press("ArrowUp")  # the focus goes with the row
    wait(demo, f"{order} === 'Exponent,Flip,Stairs'")
    demo.click("[data-act='twice'][data-path='steps.0']")
    wait(demo, f"{order} === 'Exponent,Exponent,Flip,Stairs'")
    before = pixels(demo, "[data-lane='lamp-glow']")
    demo.check("#show-traces")
    wait(demo, f"document.querySelector('[data-lane=\"lamp-glow\"]').toDataURL() !== {json.dumps(before)}")


def test_a_curve_is_drawn_by_hand_and_a_bezier_is_bent(demo):
    demo.click("[data-drawer='responses']")
    demo.wait_for_selector("#drawer-find:focus")
    demo.keyboard.type("points")
    demo.keyboard.press("Enter")
    wait(demo, "document.querySelectorAll('.bender').length === 2")
    x, y = middle(demo, ".bender")
    drag(demo, (x, y), (x + 12, y - 30))
    undo_says(demo, "Change the response of the opacity of Lamp glow")
    wait(demo, "!document.querySelector('#response-points').value.startsWith('0.35 0.1')")
    wait(demo, "document.querySelector('#response-points').value.split(',').length === 2")
    points = mapping_json(demo)["drives"][0]["response"]["params"]["points"]
    across, up = (float(word) for word in points.split(",")[0].split())
    assert 0.36 < across < 0.6 and 0.2 < up < 0.6
    plot = demo.locator("#plot").bounding_box()
    low = demo.locator("#mark-low").bounding_box()
    demo.mouse.dblclick(low["x"] + 22, plot["y"] + plot["height"] - 40)
    wait(demo, "document.querySelector('#response-points').value.split(',').length === 3")
    demo.locator(".bender").first.focus()
    demo.keyboard.press("Delete")
    wait(demo, "document.querySelectorAll('.bender').length === 2")
    demo.select_option("#response", "bezier")
    wait(demo, "document.querySelector('#response-x1') !== null")
    demo.locator(".bender").first.focus()
    demo.keyboard.press("Shift+ArrowUp")
    wait(demo, "document.querySelector('#response-y1').value === '0.1'")
    demo.expect_console("422")
    demo.select_option("#response", "drawn")
    wait(demo, "document.querySelector('#response-points') !== null")
    demo.fill("#response-points", "0.9 0.1, 0.2 0.5")
    demo.press("#response-points", "Enter")
    demo.wait_for_selector(".said-beside")
    assert "ascend between 0 and 1" in demo.inner_text(".said-beside")


def test_versions_are_flipped_through_and_seen_side_by_side(demo):
    demo.evaluate(SEEK.format(430))
    demo.click("[data-act='keep-version']")
    wait(demo, "document.querySelectorAll('[data-version]').length === 1")
    assert demo.locator("#beside").count() == 0, "it would be beside itself"
    demo.fill("#at-full", "0.5")
    demo.press("#at-full", "Enter")
    undo_says(demo, "Set the opacity of Lamp glow at full")
    demo.wait_for_selector("#beside-lamp-glow--own", state="attached")  # both are seen as soon as they differ
    assert demo.input_value("#beside") == "A"
    demo.select_option("#beside", "")
    wait(demo, "document.querySelector('#stage .beside') === null")
    demo.click("[data-act='keep-version']")
    wait(demo, "document.querySelectorAll('[data-version]').length === 2")
    pressed = "document.querySelector('[data-version][aria-pressed=\"true\"]')?.dataset.version"
    wait(demo, f"{pressed} === 'B'")
    demo.select_option("#beside", "A")
    demo.wait_for_selector("#beside-lamp-glow--own", state="attached")
    whole = [demo.locator(f"#{prefix}-panes--own").bounding_box() for prefix in ("stage", "beside")]
    assert whole[0]["width"] == pytest.approx(whole[1]["width"], abs=1), "both pictures are whole"
    assert whole[0]["x"] + whole[0]["width"] < whole[1]["x"] + 1, "side by side"
    slots = "['own', 'move', 'turn', 'scale']"
    having = "(slot) => document.querySelector(`#stage-lamp-glow--${slot}`)?.hasAttribute('opacity')"
    slot = demo.evaluate(f"{slots}.find({having})")
    shown, other = (
        f"Number(document.querySelector('#{prefix}-lamp-glow--{slot}').getAttribute('opacity'))"
        for prefix in ("stage", "beside")
    )
    wait(demo, f"{other} > {shown} + 0.05")
    demo.press("body", "v")
    wait(demo, f"{pressed} === 'A'")
    wait(demo, "document.querySelector('#at-full').value === '1'")
    assert demo.locator("#stage .beside").count() == 0  # it would be beside itself
    demo.click("[data-act='drop-versions']")
    wait(demo, "document.querySelectorAll('[data-version]').length === 0")


def test_a_recipe_is_saved_seen_applied_and_taken_back(demo, tmp_path):
    demo.click("[data-drawer='recipes']")
    demo.wait_for_selector("#recipe-name")
    assert axe(demo) == []
    demo.fill("#recipe-name", "My lamp")
    demo.click("[data-keep='project']")
    demo.wait_for_selector("[data-pick='recipe'][data-id='my-lamp']")
    lane = "document.querySelector('[data-lane=\"lamp-glow\"]').toDataURL()"
    before = demo.evaluate(lane)
    demo.hover("[data-pick='recipe'][data-id='stepping-stones']")
    wait(demo, f"{lane} !== {json.dumps(before)}")
    assert mapping_json(demo)["steps"] == []
    demo.click("[data-pick='recipe'][data-id='stepping-stones']")
    undo_says(demo, "Apply Stepping stones to Lamp glow")
    demo.wait_for_selector("#step-0-levels", state="attached")
    wait(demo, "document.activeElement.dataset.id === 'stepping-stones'")  # the next one is a Tab away
    with demo.expect_download() as download:
        demo.click("#drawer >> text=Export these")
    assert "My lamp" in download.value.path().read_text()
    path = tmp_path / "recipes.json"
    path.write_text(write_recipes(tuple(item.model_copy(update={"id": f"x-{item.id}"}) for item in STARTING[:2])))
    demo.set_input_files("#recipe-file", path)
    demo.wait_for_selector("[data-pick='recipe'][data-id='x-breath']")
    demo.expect_console("422")
    demo.set_input_files("#recipe-file", {"name": "no.json", "mimeType": "application/json", "buffer": b"[]"})
    wait(demo, "document.querySelector('#notice-words').textContent.includes('no file of recipes')")
    demo.click("[data-forget='project'][data-id='x-breath']")
    wait(demo, "document.querySelector('[data-id=\"x-breath\"]') === null")
    demo.evaluate("document.activeElement.blur()")
    demo.keyboard.press("Escape")  # wherever the focus is
    wait(demo, "document.querySelector('#drawer').hidden")


def test_a_mapping_is_copied_linked_and_the_other_way(demo):
    demo.click("[data-drawer='copy']")
    demo.wait_for_selector("#copy-now")
    assert demo.is_disabled("#copy-now") and axe(demo) == []
    demo.fill("#drawer-find", "title")
    demo.check("[data-copy='title:opacity']")
    assert demo.inner_text("#copy-now") == "Copy to 1 property"
    demo.click("#copy-now")
    undo_says(demo, "Copy Lamp glow to the opacity of Title")
    wait(demo, "document.querySelector('#drive').options.length === 4")
    pick(demo, "#add-target", "cloche-3:scale_y")
    wait(demo, "document.querySelector('#mapping-name').value === 'Cloche 3 height'")
    demo.select_option("#add-drive", "inverted")
    wait(demo, "document.querySelector('#drive')?.value === '1'")
    assert float(demo.input_value("#at-full")) == pytest.approx(1 / 1.4, abs=1e-3)
    demo.click("[data-act='invert']")
    wait(demo, "Math.abs(document.querySelector('#at-full').value - 1.4) < 0.001")
    demo.fill("#late", "6")
    demo.press("#late", "Enter")
    undo_says(demo, "Move the width of Cloche 3 in time")


def test_a_colour_gets_stops_between_and_a_stack_its_way(demo):
    pick(demo, "#add-target", "title:fill")
    wait(demo, "document.querySelector('#mapping-name').value === 'Title fill'")
    demo.click("[data-act='add-stop']")
    demo.wait_for_selector("#stop-0-at")
    demo.fill("#stop-0-colour", "#ff0000")
    demo.dispatch_event("#stop-0-colour", "change")
    undo_says(demo, "Set the colours of the fill of Title")
    assert mapping_json(demo, "title-fill")["drives"][0]["stops"] == [{"at": 0.5, "colour": "#ff0000"}]
    pick(demo, "#add-target", "lamp-glow:opacity")
    wait(demo, "document.querySelector('#stacking') !== null")
    assert "over Lamp glow" in demo.inner_text(".steps")
    demo.select_option("#stacking", "multiply")
    undo_says(demo, "Stack the opacity of Lamp glow otherwise")


def test_why_a_value_is_so_follows_the_playhead(demo):
    demo.evaluate(SEEK.format(415))
    demo.click("[data-drawer='why']")
    wait(demo, "document.querySelector('.why') !== null")
    assert "at frame 415" in demo.inner_text("#drawer") and axe(demo) == []
    row = "[...document.querySelectorAll('.why tr')].find((row) => row.cells[0].textContent === 'Value')"
    value = f"{row}.cells[1].textContent.trim()"
    high = float(demo.evaluate(value))
    demo.evaluate(SEEK.format(1348))  # silence
    wait(demo, "document.querySelector('#drawer').textContent.includes('at frame 1348')")
    assert float(demo.evaluate(value)) == 0.3 < high
    now = "document.querySelector('[data-mapping=lamp-glow] [data-now]').textContent"
    wait(demo, f"{now} === '0.30'")


def test_a_wrong_number_is_said_beside_its_field_and_marks_push_each_other(demo):
    demo.fill("#low-db", "loud")
    demo.press("#low-db", "Enter")
    demo.wait_for_selector(".said-beside")
    assert demo.inner_text(".said-beside") == "Use a number from -120 to 24."
    beside, field = (demo.locator(name).bounding_box() for name in (".said-beside", "#low-db"))
    assert abs(beside["x"] - field["x"]) < 200 and 0 < beside["y"] - field["y"] < 40
    demo.fill("#low-db", "-5")
    assert demo.locator(".said-beside").count() == 0
    demo.press("#low-db", "Enter")
    undo_says(demo, "Set marks of Lamp glow")
    wait(demo, "document.querySelector('#high-db').value === '-4.5'")
    low, high = (demo.locator(f"#mark-{name}").bounding_box() for name in ("low", "high"))
    y = low["y"] + low["height"] / 2
    drag(demo, (high["x"] + 8, y), (high["x"] - 60, y))
    wait(demo, "document.querySelector('#high-db').value < -5")
    marks = mapping_json(demo)["marks"]
    assert marks["low"] < marks["high"] < 0.56
    demo.fill("#at-full", demo.input_value("#at-rest"))
    demo.press("#at-full", "Enter")
    wait(
        demo, "document.querySelector('#sheet [role=status]')?.textContent.startsWith('At rest and at full are equal')"
    )
    assert demo.locator(".lane[data-mapping='lamp-glow'] .chip-ember").inner_text() == "look"


def test_the_sheet_holds_every_response_of_numbers_and_of_colours(demo):
    right = "document.querySelector('#plot').getBoundingClientRect().right"
    wide = (
        f"[...document.querySelectorAll('.sheet .field')].filter((e) => e.getBoundingClientRect().right > {right} + 1)"
    )
    for target in (None, "title:fill"):
        if target:
            pick(demo, "#add-target", target)
            wait(demo, "document.querySelector('#mapping-name').value === 'Title fill'")
        for name in demo.locator("#response option").evaluate_all("all => all.map((one) => one.value)"):
            demo.select_option("#response", name)
            wait(demo, f"document.querySelector('#response option[selected]').value === '{name}'")
            assert demo.evaluate(f"{wide}.length") == 0, name

"""A quick hand: what it does before the last thing is answered goes on from that, and means what it sees."""

import re

import pytest
from tests.gltf import GLB
from tests.journeys.conftest import ask, draw_anew, open_sound, stored, wait
from tests.journeys.test_bench import add_step, mapping_json
from tests.journeys.test_late_answers import Held
from tests.journeys.test_poses import number
from tests.journeys.test_sound_room import MIX, idle
from tests.journeys.test_stage_room import SPRIG
from tests.journeys.test_ways import UNDO, choose, quiet


def test_keys_that_a_quick_hand_moves_go_on_from_where_they_were_put(demo):
    page = demo
    page.press("body", "4")
    page.click("[data-curve='lamp-glow:opacity']")
    wait(page, "document.querySelector('#keys-plot')?.dataset.target === 'lamp-glow:opacity'")
    wait(page, "document.querySelector('#keys-words').textContent.includes('keys for')")
    box = page.locator("#keys-plot").bounding_box()
    page.mouse.move(box["x"] + 0.4 * box["width"], box["y"] + 60)
    for _ in range(8):
        page.mouse.wheel(0, -300)
    page.click("[data-hand='keys']")
    page.mouse.dblclick(box["x"] + 0.5 * box["width"], box["y"] + 0.5 * box["height"])
    page.wait_for_selector("#touch-ups [data-touch-up]")
    quiet(page)
    frame = int(page.input_value("#key-frame"))
    held = Held(page, "**/touch-ups/keys")
    number(page, "#key-value", 0.25)
    held.wait(lambda: held.first is not None)
    number(page, "#key-value", 0.5)
    page.focus("#keys-plot")
    for _ in range(3):
        page.keyboard.press("Shift+ArrowRight")
    held.comes(rest_ms=2000)
    quiet(page)
    wait(page, f"Number(document.querySelector('#key-frame').value) === {frame + 3}")
    assert float(page.input_value("#key-value")) == pytest.approx(0.5, abs=1e-4)
    draw_anew(page, "#keys-plot")
    key = [frame + 3, pytest.approx(0.5, abs=1e-4)]
    assert key in page.evaluate("""async () => {
      const { getPack } = await script("server");
      const { project } = await script("project");
      const { head, arrays } = await getPack(project.url("hand-off/curve?target=lamp-glow%3Aopacity"));
      return Array.from(arrays[head.frames]).map((frame, place) => [frame, arrays[head.keys][place]]);
    }""")


def test_hits_that_a_quick_hand_edits_are_the_ones_that_it_means(page):
    open_sound(page, MIX, room="sound")
    page.wait_for_selector("#bands")
    idle(page)
    wait(page, "document.querySelector('#hit-words').textContent.includes('hits')")
    script = "async () => Array.from((await script('rhythm')).rhythm.hits)"
    hits = page.evaluate(script)
    box = page.locator("#ribbon").bounding_box()
    frames = page.evaluate("JSON.parse(document.getElementById('status').textContent).frames")

    def click(hit):
        page.mouse.click(box["x"] + hit / frames * box["width"], box["y"] + box["height"] - 4)
        page.wait_for_selector("#track-hit:not([hidden])")

    held = Held(page, "**/tracks/*/hits")
    for hit in (hits[1], hits[3]):
        click(hit)
        page.press("body", "Delete")
        page.wait_for_selector("#track-hit", state="hidden")
    click(hits[5])
    for later in (0.1, 0.2):
        number(page, "#track-hit-time", hits[5] / 30 + later)
    held.wait(lambda: held.first is not None)
    held.comes(rest_ms=1500)
    wait(page, f"{UNDO}.startsWith('Move a hit') || {UNDO}.includes('Move a hit of')")
    idle(page)
    expected = sorted([hit for place, hit in enumerate(hits) if place not in (1, 3, 5)] + [hits[5] + 6])
    wait(page, f"({script})().then((now) => now.some((hit) => Math.abs(hit - {hits[5] + 6}) < 0.01))")
    assert page.evaluate(script) == pytest.approx(expected, abs=0.01)


def test_a_double_click_takes_one_step_off(demo):
    for name in ("flip", "stairs", "exponent"):
        add_step(demo, name)
    held = Held(demo, "**/edits")
    demo.dblclick("[data-act='drop'][data-path='steps.0']")
    held.wait(lambda: held.first is not None)
    held.comes()
    assert [step["id"] for step in mapping_json(demo)["steps"]] == ["stairs", "exponent"]
    demo.click("[data-act='drop'][data-path='steps.0']")
    wait(
        demo,
        f"{UNDO}.startsWith('Undo') && document.querySelectorAll('[data-act=drop][data-path^=steps]').length === 1",
    )


def test_what_is_typed_stays_in_its_row_while_one_above_it_goes(demo):
    for name in ("flip", "stairs", "exponent"):
        add_step(demo, name)
    field = "input[data-path='steps.{}.params.{}']"
    was = mapping_json(demo)["steps"]
    held = Held(demo, "**/edits")
    demo.click("[data-act='drop'][data-path='steps.0']")
    held.wait(lambda: held.first is not None)
    demo.click(field.format(1, "levels"))
    demo.keyboard.press("Control+a")
    demo.keyboard.type("7")
    held.comes()
    assert demo.evaluate("document.activeElement.dataset.path") == "steps.0.params.levels"
    assert demo.input_value(field.format(0, "levels")) == "7"
    demo.keyboard.press("Enter")
    quiet(demo)
    stairs, exponent = mapping_json(demo)["steps"]
    assert stairs["params"]["levels"] == 7 and exponent == was[2]
    held = Held(demo, "**/edits")
    demo.click("[data-act='drop'][data-path='steps.0']")
    held.wait(lambda: held.first is not None)
    demo.click(field.format(0, "levels"))
    demo.keyboard.type("9")
    held.comes()
    assert demo.evaluate("document.activeElement === document.body"), "its row is gone"
    assert mapping_json(demo)["steps"] == [exponent]


TAPS = {"take": 1, "kind": "taps", "begin_s": 0, "end_s": 3, "times_s": [1.04], "values": {"strength": [1]}}


def test_the_name_of_a_take_that_is_typed_stays_with_it_while_one_before_it_goes(demo):
    project = demo.url.rpartition("/")[0].rpartition("/")[2]
    for into in ("", "?into=taps-1", "?into=taps-1"):
        ask(demo, f"/p/{project}/takes{into}", data=TAPS)
    demo.goto(f"/p/{project}/sound")
    demo.click("[data-show-envelope='taps-1']")
    demo.wait_for_selector("#take-2-name")
    idle(demo)
    held = Held(demo, "**/envelopes/taps-1/takes")
    demo.click("[aria-label='Take Take 1 away']")
    held.wait(lambda: held.first is not None)
    demo.click("#take-2-name")
    demo.keyboard.press("Control+a")
    demo.keyboard.type("Calm")
    held.comes()
    assert demo.evaluate("document.activeElement.id") == "take-1-name"
    demo.keyboard.press("Enter")
    quiet(demo)
    assert [demo.input_value(f"#take-{place}-name") for place in (0, 1)] == ["Take 2", "Calm"]
    assert not demo.is_visible("#notice")


def test_the_page_is_not_left_unasked_while_an_edit_waits(stage_room):
    page, asked = stage_room, []
    page.on("dialog", lambda dialog: (asked.append(dialog.type), dialog.dismiss()))
    choose(page, "moth-one")
    held = Held(page, "**/edits")
    for field, value in (("#own-x", 20), ("#own-y", 30)):
        number(page, field, value)
    held.wait(lambda: held.first is not None)
    page.evaluate("void setTimeout(() => location.reload())")
    page.wait_for_timeout(500)
    assert asked == ["beforeunload"]
    held.comes()
    values = stored(page, "stage/parts?part=moth-one", "[data-part-json]")["values"]
    assert (values["x"], values["y"]) == (20, 30)
    page.reload()
    assert asked == ["beforeunload"], "all is stored"


def test_a_file_that_is_not_wanted_any_more_is_not_taken_back_with_what_came_after_it(stage_room):
    page = stage_room
    page.expect_console("409")
    page.evaluate(
        """() => {
            const { send } = XMLHttpRequest.prototype;
            XMLHttpRequest.prototype.send = function (...sent) {
                const { onload } = this;
                if (sent[0] instanceof FormData) this.onload = () => (window.comes = onload);
                send.apply(this, sent);
            };
        }"""
    )
    page.set_input_files("#scene-file", {"name": "sprig.svg", "mimeType": "image/svg+xml", "buffer": SPRIG})
    page.click("#notice-act >> text=Add it")
    page.wait_for_selector("#notice:has-text('Reading sprig.svg') #notice-act:has-text('Cancel')")
    page.click("#notice-act")
    wait(page, "Boolean(window.comes)")
    page.evaluate("document.activeElement.blur()")
    page.press("body", "m")
    wait(page, f"{UNDO}.includes('arker 1')")
    page.evaluate("window.comes()")
    page.wait_for_selector("#notice:has-text('you did something since')")
    assert "arker 1" in page.get_attribute("#undo", "title")
    page.click("#notice-act >> text=Undo")
    wait(page, f"{UNDO} === 'Undo: Bring in sprig.svg'")


@pytest.fixture
def bell(stage_room):
    """A Stage in 3D, whose first undo brings back the one in 2D; the page says whether it was loaded anew."""
    page = stage_room
    page.expect_console("GPU stall")
    page.expect_console("targetNames")
    page.evaluate("window.isSame = true")
    page.set_input_files("#scene-file", {"name": "bell.glb", "mimeType": "model/gltf-binary", "buffer": GLB})
    page.click("#notice-act >> text=Replace the stage")
    page.wait_for_selector("#stage[data-kind='3d'] canvas")
    return page


def test_undo_and_redo_across_stages_of_two_kinds_break_nothing(bell):
    page = bell
    page.wait_for_selector("#notice:has-text('bell.glb is on the stage')")
    page.click(".tree-row >> nth=2")
    page.click("[data-drive-it] >> nth=0")
    quiet(page)
    for keys in ("Control+z", "Control+Shift+z"):
        for _ in range(4):
            page.keyboard.press(keys)
    quiet(page)
    page.wait_for_selector("#stage[data-kind='3d'] canvas")
    assert page.get_attribute("#undo", "title").startswith("Undo: Add ")
    assert page.get_attribute("#redo", "title") == "Nothing to redo"
    assert page.evaluate("window.isSame")


def test_a_room_that_came_late_shows_what_was_done_meanwhile(bell):
    page = bell
    held = Held(page, re.compile(r"/stage(\?|$)"))
    page.press("body", "Control+z")
    held.wait(lambda: held.first is not None)
    page.press("body", "Control+Shift+z")
    wait(page, f"{UNDO} === 'Undo: Replace the stage with bell.glb'")
    held.comes()
    page.wait_for_selector("#stage[data-kind='3d'] canvas")
    assert page.evaluate("window.isSame")

    choose(page, page.get_attribute(".tree-row >> nth=2", "data-part"))
    page.click("[data-drive-it] >> nth=0")
    quiet(page)
    held = Held(page, re.compile(r"/bench\?"))
    page.click("#rooms >> text=Bench")
    held.wait(lambda: held.first is not None)
    page.press("body", "Control+z")
    wait(page, f"{UNDO} === 'Undo: Replace the stage with bell.glb'")
    held.comes()
    page.wait_for_selector("#room[data-room='bench'] #stage canvas")
    wait(page, "document.querySelectorAll('#room [data-lane]').length === 0")


def test_the_way_back_leads_through_the_rooms(bell):
    page = bell
    for room in ("bench", "hand-off"):
        page.click(f"#rooms a[href$='/{room}']")
        page.wait_for_url(f"**/{room}")
    page.evaluate("script('transport').then((m) => m.transport.seek(9))")
    for go, room in (("back", "bench"), ("back", "stage"), ("forward", "bench"), ("forward", "hand-off")):
        page.evaluate(f"history.{go}()")
        page.wait_for_selector(f"#room[data-room='{room}']")
        page.wait_for_selector(f"#rooms a[href$='/{room}'][aria-current='page']")
        assert page.url.endswith(f"/{room}") and page.inner_text("#clock") == "00:00:09"
    assert page.evaluate("window.isSame")

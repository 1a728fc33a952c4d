"""The Stage in a browser: pick, try by hand, anchor, drive, swap, bring in and take home."""

import io
import json
import math
import re

import numpy as np
import pytest
from PIL import Image
from tests.conftest import drums, wav
from tests.gltf import GLB
from tests.journeys.conftest import UNTOUCHED, axe, open_potting_bench, open_stage, pick, stop_clock, stored, wait
from tests.journeys.test_whole_way import download

from fern_tide.core.base.frame_rate import FrameRate

RATE = FrameRate.parse("30")
SOUND = wav(drums(seconds=3.0), rate_hz=44_100)
SPRIG = b"""<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 300" width="400" height="300">
  <style>.leaf { fill: #3e6b3a } #Sprig { opacity: .9 }</style>
  <!-- drawn elsewhere -->
  <g id="Sprig" transform="translate(200 280) skewX(10) scale(1 -1)">
    <path class="leaf" id="Blade" d="M-40 0V200H40V0Z"/>
  </g>
  <circle id="Dew" cx="60" cy="60" r="20" fill="#1e6f8b"/>
</svg>"""


@pytest.fixture
def room(stage_room):
    return stage_room


def bring_in(page, name, content, *, how="replace"):
    page.set_input_files("#scene-file", {"name": name, "mimeType": "application/octet-stream", "buffer": content})
    page.wait_for_selector("#notice:not([hidden])")
    if how == "add":
        page.click("#notice-act")
    elif page.locator("#notice-other").is_visible():
        page.click("#notice-other")
    wait(page, f"document.querySelector('#undo').title.includes({json.dumps(name)})")


def choose(page, part):
    page.click(f"[data-select='{part}']")
    page.wait_for_selector(f"[data-part-json='{part}']", state="attached")


def drive(page, target):
    page.click(f"[data-drive-it='{target}']")
    page.wait_for_selector(f"[data-drive-it='{target}']", state="detached")


def shown_part(page):
    return page.evaluate("JSON.parse(document.querySelector('[data-part-json]').textContent)")


def hold(page, target, share):
    """Press a knob and move it to a share of its slider, without letting go."""
    knob = page.locator(f"input[data-try='{target}']")
    knob.scroll_into_view_if_needed()
    box = knob.bounding_box()
    start = float(knob.input_value()) / 1000
    inner, y = box["width"] - 14, box["y"] + box["height"] / 2
    page.mouse.move(box["x"] + 7 + inner * start, y)
    page.mouse.down()
    page.mouse.move(box["x"] + 7 + inner * share, y, steps=5)


def test_a_part_is_picked_tried_by_hand_and_goes_back_when_the_hand_lets_go(room):
    bulb = room.locator("#stage-lamp-bulb--own").bounding_box()
    room.mouse.click(bulb["x"] + bulb["width"] / 2, bulb["y"] + bulb["height"] / 2)
    room.wait_for_selector("[data-part-json='lamp-bulb']", state="attached")
    assert room.get_attribute(".tree-row[data-part='lamp-bulb']", "aria-selected") == "true"
    assert room.get_attribute("svg.over polygon", "stroke-dasharray") == "5 4"
    still = room.get_attribute("#stage-lamp-bulb--scale", "transform")
    hold(room, "lamp-bulb:scale_y", 0.9)
    wait(room, f"document.querySelector('#stage-lamp-bulb--scale').getAttribute('transform') !== {still!r}")
    assert room.get_attribute("#undo", "title") in UNTOUCHED  # nothing is stored by trying
    room.mouse.up()
    wait(room, f"document.querySelector('#stage-lamp-bulb--scale').getAttribute('transform') === {still!r}")
    tried = float(room.inner_text("[data-tried='lamp-bulb:scale_y'] [data-tried-value]"))
    assert tried > 1.3
    room.click("[data-tried='lamp-bulb:scale_y'] >> text=use as rest")
    wait(room, "document.querySelector('#undo').title === 'Undo: Set the height of Lamp bulb'")
    wait(room, "JSON.parse(document.querySelector('[data-part-json]').textContent).values.scale_y !== undefined")
    assert shown_part(room)["values"]["scale_y"] == pytest.approx(tried)
    assert axe(room) == []


def test_what_is_driven_runs_in_the_tree_and_can_be_used_as_full(room):
    choose(room, "lamp-bulb")
    drive(room, "lamp-bulb:scale_y")
    wait(room, "document.querySelector('[data-running=\"lamp-bulb:scale_y\"]')?.textContent === '1.00'")
    room.evaluate("script('transport').then((m) => m.transport.seek(9))")
    wait(room, "document.querySelector('[data-running=\"lamp-bulb:scale_y\"]').textContent !== '1.00'")
    hold(room, "lamp-bulb:scale_y", 0.97)
    room.mouse.up()
    room.click("[data-tried='lamp-bulb:scale_y'] >> text=use as full")
    wait(room, "document.querySelector('#undo').title.startsWith('Undo: Set the height of Lamp bulb at full')")
    full = stored(room, "stage/parts?part=lamp-bulb", "[data-mapping-json]")["drives"][0]["full"]
    assert full == pytest.approx(1.48, abs=0.05)


def test_a_group_is_outlined_and_anchored_by_what_lies_in_it(room):
    room.click("[data-select='lamp']")
    wait(room, "document.querySelector('#part-name')?.value === 'Lamp'")
    wait(room, "document.querySelector('#stage .over polygon').getAttribute('visibility') === 'visible'")
    room.click(".nine button[data-word='bottom']")
    wait(room, "document.querySelector('#undo').title === 'Undo: Put the anchor of Lamp at its bottom'")
    wait(room, "Math.abs(Number(document.querySelector('#anchor-y').value) - 900) < 1")  # its glow, 430 below 470
    assert room.input_value("#anchor-x") == "960"


def test_the_base_stays_still_when_the_anchor_is_put_there(room):
    choose(room, "cloche-3")
    room.fill("#own-turn", "30")
    room.press("#own-turn", "Enter")
    wait(room, "document.querySelector('#undo').title === 'Undo: Set the turn of Cloche 3'")
    wait(room, "document.querySelector('#stage-cloche-3--turn').getAttribute('transform') === 'rotate(30)'")
    box = "JSON.stringify(document.querySelector('#stage-cloche-3--own').getBoundingClientRect())"
    before = json.loads(room.evaluate(box))
    room.click(".nine button[data-word='top left']")
    wait(room, "document.querySelector('#undo').title === 'Undo: Put the anchor of Cloche 3 at its top left'")
    room.wait_for_timeout(400)
    after = json.loads(room.evaluate(box))
    assert after == pytest.approx(before, abs=0.2)
    room.click("#keep-base")
    wait(room, "document.querySelector('#keep-base').getAttribute('aria-pressed') === 'true'")
    part = shown_part(room)
    assert part["anchor"]["word"] == "bottom" and part["anchor"]["y"] == pytest.approx(1030, abs=0.5)
    room.click("#squash")
    wait(room, "document.querySelector('#squash').getAttribute('aria-pressed') === 'true'")
    assert "follows Cloche 3, height" in room.inner_text("[data-property='cloche-3:scale_x']")


def test_a_mapping_moves_to_another_part_and_limits_hold(room):
    choose(room, "lamp-bulb")
    drive(room, "lamp-bulb:scale_y")
    pick(room, "[data-move]", "moth-one:scale_y")
    room.wait_for_selector("[data-part-json='moth-one']", state="attached")
    assert (
        "moth-one"
        in json.loads(room.locator("[data-mapping-json]").first.text_content())["drives"][0]["target"].values()
    )
    room.click("[data-tie='scale_y']")
    room.fill("#limit-high", "1.1")
    room.press("#limit-high", "Tab")
    wait(room, "document.querySelector('#undo').title === 'Undo: Limit the height of Moth one'")
    room.click("#bake")
    wait(room, "document.querySelector('#bake').textContent === 'All curves baked'")
    room.click("#rooms >> text=Hand-off")
    room.click("#write-json")
    made = json.loads(download(room, "#download-json"))
    (curve,) = made["curves"]
    assert curve["target"] == "moth-one:scale_y" and max(curve["values"]) == 1.1 and min(curve["values"]) == 1.0


def test_an_svg_comes_in_is_driven_and_goes_home_the_same_but_for_its_motion(room):
    bring_in(room, "sprig.svg", SPRIG)
    wait(room, "document.querySelector('#stage-sprig-2--own') !== null")
    drawn = room.evaluate("getComputedStyle(document.querySelector('#stage-blade--own')).fill")
    assert drawn == "rgb(62, 107, 58)"
    for part, name in (("sprig-2", "turn"), ("dew", "radius")):
        choose(room, part)
        drive(room, f"{part}:{name}")
    room.click("#bake")
    wait(room, "document.querySelector('#bake').textContent === 'All curves baked'")
    room.click("#rooms >> text=Hand-off")
    room.click("#write-json")
    made = json.loads(download(room, "#download-json"))
    values = {curve["target"]: np.array(curve["values"]) for curve in made["curves"]}
    room.click("#write-svg")
    svg = download(room, "#download-svg")
    ours = re.compile(rb"<(?:animate|animateTransform) id=\"fern-tide-[^>]*/>")
    assert ours.sub(b"", svg).replace(b"></circle>", b"/>") == SPRIG
    alone = room.context.new_page()
    alone.route("**/alone.svg", lambda route: route.fulfill(body=svg, content_type="image/svg+xml"))
    alone.goto("/alone.svg")
    stop_clock(alone)
    frames = [0, 5, 8, 9, 12, 20, 37, 53, 70, 88]
    found = alone.evaluate(
        """times => times.map((seconds) => {
            document.documentElement.setCurrentTime(seconds);
            const list = [...document.getElementById("Sprig").transform.animVal];
            const start = document.documentElement.createSVGMatrix();
            const { a, b, c, d, e, f } = list.reduce((product, { matrix }) => product.multiply(matrix), start);
            return [[a, b, c, d, e, f], document.getElementById("Dew").r.animVal.value];
        })""",
        [float(RATE.seconds(frame)) for frame in frames],
    )
    alone.close()
    lean = math.tan(math.radians(10))
    base = np.array([[1, -lean, 200], [0, -1, 280], [0, 0, 1]])
    anchor = base @ [0, 100, 1]
    for frame, (matrix, radius) in zip(frames, found, strict=True):
        assert radius == pytest.approx(values["dew:radius"][frame], abs=3e-4)
        turn = math.radians(values["sprig-2:turn"][frame])
        spin = np.array([[math.cos(turn), -math.sin(turn), 0], [math.sin(turn), math.cos(turn), 0], [0, 0, 1]])
        there, back = np.eye(3), np.eye(3)
        there[:2, 2], back[:2, 2] = anchor[:2], -anchor[:2]
        a, b, c, d, e, f = matrix
        np.testing.assert_allclose([[a, c, e], [b, d, f], [0, 0, 1]], there @ spin @ back @ base, atol=2e-3)
    assert np.ptp(values["sprig-2:turn"]) > 5


def photo() -> bytes:
    out = io.BytesIO()
    ramp = np.add.outer(np.arange(200), np.arange(300)) % 256
    Image.fromarray(np.stack([ramp, 255 - ramp, ramp // 2], axis=-1).astype(np.uint8)).save(out, "PNG")
    return out.getvalue()


def test_the_middle_of_a_photo_pumps_with_the_low_band_and_the_rest_is_still(page):
    page.goto("/")
    page.click("#open-demo")
    page.wait_for_url("**/bench")
    open_stage(page)
    room = page
    bring_in(room, "pane.png", photo())
    room.wait_for_selector("[data-copy='middle']")
    room.click("[data-copy='middle']")
    room.wait_for_selector("[data-part-json='pane-middle']", state="attached")
    panel = "(({ scrollWidth, clientWidth }) => scrollWidth <= clientWidth)(document.querySelector('#part-panel'))"
    assert room.evaluate(panel)
    drive(room, "pane-middle:scale_x")
    assert room.inner_text("[data-property='pane-middle:scale_x'] .chip") == "Drip"  # the band from 40 to 180 Hz
    wait(room, "+document.querySelector('[data-running=\"pane-middle:scale_x\"]')?.textContent > 0.9")
    room.click("#frame-all")
    room.mouse.move(5, 5)

    def at(frame):
        room.evaluate(f"script('transport').then((m) => m.transport.seek({frame}))")
        room.wait_for_timeout(300)
        room.evaluate("document.querySelector('svg.over').style.display = 'none'")
        box = room.locator("#stage-pane--own").bounding_box()
        return np.asarray(Image.open(io.BytesIO(room.screenshot(clip=box))).convert("RGB")).astype(int)

    still, moved = at(1348), at(415)  # silence, and a drip
    apart = np.abs(still - moved).max(axis=2)
    height, width = apart.shape
    assert apart[height // 2 - 20 : height // 2 + 20, width // 2 - 60 : width // 2 + 60].max() > 12
    assert apart[: height // 8].max() <= 2 and apart[-height // 8 :].max() <= 2
    assert apart[:, : width // 10].max() <= 2 and apart[:, -width // 10 :].max() <= 2


def test_a_3d_model_made_elsewhere_is_picked_and_tried(room):
    room.expect_console("targetNames")  # the model names one of its two shapes
    room.set_input_files("#scene-file", {"name": "fern.glb", "mimeType": "model/gltf-binary", "buffer": GLB})
    room.click("#notice-act >> text=Replace the stage")
    room.wait_for_selector("#stage canvas")  # another kind of stage: the page comes anew
    wait(room, "document.querySelector('#stage').dataset.kind === '3d'")
    wait(room, "document.querySelector('[data-select=frond]') !== null")
    choose(room, "frond")
    assert "Unfurl" in room.inner_text("#properties")
    room.click("#frame-part")
    room.wait_for_timeout(500)
    choose(room, "pot")
    box = room.locator("#stage").bounding_box()
    room.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    room.wait_for_selector("[data-part-json='frond']", state="attached")
    hold(room, "frond:scale_x", 0.95)
    room.mouse.up()
    assert room.locator("[data-tried='frond:scale_x']").is_visible()
    drive(room, "frond:shape_0")
    wait(room, "document.querySelector('[data-running=\"frond:shape_0\"]')?.textContent.length > 0")
    assert axe(room) == []
    room.click("#rooms >> text=Bench")
    room.wait_for_selector("#plot")
    assert room.locator("#stage canvas").count() == 1


def test_the_lamp_of_the_3d_demo_swings_both_ways_on_the_stage(page):
    open_potting_bench(page)
    open_stage(page)
    page.wait_for_selector("#stage canvas")
    choose(page, "lamp")
    running = "document.querySelector('.tree-row [data-running=\"lamp:turn_z\"]')?.textContent"
    at_rest = f"Math.abs(parseFloat({running})) < 0.05"  # the first beat is found within a millisecond of 0
    wait(page, at_rest, seconds=60)
    seen = []
    for frame in range(0, 400, 10):
        page.evaluate(f"script('transport').then((m) => m.transport.seek({frame}))")
        seen.append(float(page.evaluate(running).rstrip("°")))
    assert min(seen) < -5 and max(seen) > 5
    page.press("body", "End")
    wait(page, f"{running} === '0.00°'")


WRONG = [
    ("broken.glb", GLB[:60], "longer than it is"),
    ("notes.svg", b"just some notes", "no SVG, no glTF and no picture"),
    ("empty.png", b"", "empty"),
]


def test_a_wrong_file_is_explained_and_the_stage_stays(room):
    room.expect_console("422")
    parts = room.locator(".tree-row").count()
    for name, content, words in WRONG:
        room.set_input_files("#scene-file", {"name": name, "mimeType": "application/octet-stream", "buffer": content})
        room.click("#notice-act")
        wait(room, f"document.querySelector('#notice-words').textContent.includes({words!r})")
        assert room.locator(".tree-row").count() == parts and room.get_attribute("#undo", "title") in UNTOUCHED


def test_a_stage_is_started_anew_and_built_by_hand(room):
    room.select_option("#new-stage", "3d")
    room.wait_for_selector("#stage canvas")
    wait(room, "document.querySelectorAll('.tree-row').length === 2")
    for kind in ("bell_jar", "text_3d"):
        room.select_option("#add-part", kind)
        room.wait_for_selector(f"[data-part-json='{'bell-jar' if kind == 'bell_jar' else 'text'}']", state="attached")
    room.fill("#shape-words", "Farn")
    room.press("#shape-words", "Enter")
    wait(room, "document.querySelector('#undo').title === 'Undo: Change Text'")
    room.select_option("#add-part", "sound_graphic_3d")
    room.wait_for_selector("[data-draw-by]")
    room.click("[data-draw-by='bank']")
    wait(room, "document.querySelector('#undo').title.startsWith('Undo: Let the spectrum of Rain draw')", seconds=60)
    assert room.locator("text=24 levels").count() > 0
    room.press("body", "Control+z")
    wait(room, "document.querySelector('#redo').title.startsWith('Redo: Let the spectrum')")


def test_nothing_sticks_out_of_the_stage_room(room):
    wide = "[...document.querySelectorAll('.panel, #properties, #tree')].filter(e => e.scrollWidth > e.clientWidth + 1)"
    for part in ("lamp-glow", "cloches", "title"):
        choose(room, part)
        for width, height in ((1180, 720), (1280, 800), (2560, 1440)):
            room.set_viewport_size({"width": width, "height": height})
            room.wait_for_timeout(150)
            assert room.evaluate(f"{wide}.map(e => e.id || e.className)") == [], (part, width)
            assert room.evaluate("document.documentElement.scrollHeight <= innerHeight"), (part, width)

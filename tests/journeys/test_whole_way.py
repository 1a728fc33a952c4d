"""From a sound file to curves taken away, in a browser, with the numbers checked against the core."""

import re

import numpy as np
from tests.conftest import drums, read, wav
from tests.journeys.conftest import drop_sound, pick, read_csv, stop_clock, wait

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.envelope.envelope import beginning, clean
from fern_tide.core.mapping.marks import Marks, Scale, lift, suggest_marks

SOUND = wav(drums(seconds=6.0), rate_hz=44_100)
RATE = FrameRate.parse("30")


def first_level() -> np.ndarray:
    """The level that a new project reads from the sound, by the core alone."""
    raw = read(SOUND, "amplitude", rate=str(RATE))
    return clean(raw, beginning("amplitude"), rate=RATE)


def download(page, selector) -> bytes:
    page.wait_for_selector(selector)
    address = page.evaluate("(link) => document.querySelector(link).href", selector)
    with page.expect_download(lambda one: one.url == address) as got:  # not one that still comes by itself
        page.click(selector)
    return got.value.path().read_bytes()


def baked_values(page) -> np.ndarray:
    page.click("#rooms >> text=Hand-off")
    page.click("#write-csv")
    content = download(page, "#download-csv").decode()
    head, rows = read_csv(content)
    assert head == ["frame", "time_s", "lamp-bulb:scale_y [x]"]
    return np.array([float(row[2]) for row in rows])


def drag(page, selector, dx) -> None:
    box = page.locator(selector).bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + 50
    page.mouse.move(x, y)
    page.mouse.down()
    for step in range(1, 9):
        page.mouse.move(x + dx * step / 8, y)
        page.wait_for_timeout(25)


def test_drop_drive_drag_play_undo_bake_and_take_away(page):
    drop_sound(page, SOUND)
    pick(page, "#first-target", "lamp-bulb:scale_y")  # action two: pick a part's property
    page.wait_for_selector("#plot")
    wait(page, "document.querySelector('#hits').textContent === '12'")
    level = first_level()
    suggested = suggest_marks(level, scale=Scale.LINEAR).marks

    page.click("#bake")  # action three
    wait(page, "document.querySelector('#bake').textContent === 'All curves baked'")
    expected = 1.0 + lift(level, marks=suggested) * 0.4
    np.testing.assert_allclose(baked_values(page), expected, rtol=1e-6)  # action four: export

    page.click("#rooms >> text=Bench")
    page.wait_for_selector("#plot")
    page.press("body", "Home")
    page.wait_for_timeout(300)
    still = page.get_attribute("#stage-lamp-bulb--scale", "transform")
    for _ in range(9):
        page.press("body", "ArrowRight")
    moved = page.get_attribute("#stage-lamp-bulb--scale", "transform")
    assert moved != still  # the stage follows the playhead

    before = page.inner_text("#share-words")
    drag(page, "#mark-high", 60)
    wait(page, f"document.querySelector('#share-words').textContent !== {before!r}")
    while_dragging = page.get_attribute("#stage-lamp-bulb--scale", "transform")
    assert while_dragging != moved  # the stage follows the hand, before anything is stored
    assert "Add Lamp bulb height" in page.get_attribute("#undo", "title")
    page.mouse.up()
    wait(page, "document.querySelector('#undo').title === 'Undo: Move high water of Lamp bulb height'")
    assert page.inner_text("#bake") == "Bake 1 changed curve"

    page.press("body", " ")
    wait(page, "document.querySelector('#clock').textContent > '00:00:25'")
    drag(page, "#mark-low", 25)  # while it plays
    page.mouse.up()
    wait(page, "document.querySelector('#undo').title === 'Undo: Move low water of Lamp bulb height'")
    wait(page, "document.querySelector('#sync-words').textContent")
    apart = float(re.search(r"([\d.]+) frames apart", page.inner_text("#sync-words"))[1])
    assert apart < 3
    page.press("body", " ")

    low, high = (float(page.get_attribute(f"#mark-{name}", "aria-valuenow")) for name in ("low", "high"))
    page.press("body", "Control+z")
    wait(page, "document.querySelector('#redo').title === 'Redo: Move low water of Lamp bulb height'")
    wait(page, f"+document.querySelector('#mark-low').getAttribute('aria-valuenow') < {low}")
    kept_low = float(page.get_attribute("#mark-low", "aria-valuenow"))
    assert abs(kept_low - suggested.low) < 1e-3 * suggested.low

    page.press("body", "b")
    wait(page, "document.querySelector('#bake').textContent === 'All curves baked'")
    values = baked_values(page)
    expected = 1.0 + lift(level, marks=Marks(low=suggested.low, high=high)) * 0.4
    np.testing.assert_allclose(values, expected, atol=2e-4)  # the mark is read off a label of four digits
    assert values.min() == 1.0

    page.click("#write-svg")
    svg = download(page, "#download-svg")
    shown = seek_alone(page, svg, frames=[0, 7, 20, 33, 60, 77, 101, 130, 160, 179])
    for frame, scale in shown.items():
        assert abs(scale - values[frame]) < 1e-4


def seek_alone(page, svg: bytes, *, frames) -> dict[int, float]:
    """Open an exported SVG by itself and read the bulb's scale at the start of each frame."""
    alone = page.context.new_page()
    alone.route("**/alone.svg", lambda route: route.fulfill(body=svg, content_type="image/svg+xml"))
    alone.goto("/alone.svg")
    stop_clock(alone)
    found = {}
    for frame in frames:
        found[frame] = alone.evaluate(
            """seconds => {
                document.documentElement.setCurrentTime(seconds);
                return document.getElementById("lamp-bulb--scale").transform.animVal.getItem(0).matrix.d;
            }""",
            float(RATE.seconds(frame)),
        )
    alone.close()
    return found


def test_the_playhead_stays_from_room_to_room_and_over_a_reload(page):
    drop_sound(page, SOUND)
    for _ in range(23):
        page.press("body", "ArrowRight")
    assert page.inner_text("#clock") == "00:00:23"
    for key in ("1", "4", "3"):
        page.press("body", key)
        page.wait_for_timeout(250)
        assert page.inner_text("#clock") == "00:00:23"
    page.wait_for_url("**/bench")
    page.reload()
    page.wait_for_selector("#first-target")
    assert page.inner_text("#clock") == "00:00:23"
    page.press("body", "End")
    assert page.inner_text("#frame-words") == "frame 179 of 180"


def test_sound_goes_on_when_the_room_changes(page):
    drop_sound(page, SOUND)
    page.press("body", " ")
    wait(page, "document.querySelector('#heard').currentTime > 0.3")
    page.press("body", "1")
    page.wait_for_selector("#trace")
    at = page.evaluate("document.querySelector('#heard').currentTime")
    wait(page, f"document.querySelector('#heard').currentTime > {at} + 0.3")
    assert not page.evaluate("document.querySelector('#heard').paused")


def test_colour_and_two_tabs(page):
    drop_sound(page, SOUND)
    pick(page, "#first-target", "moth-one:fill")
    page.wait_for_selector("#at-full")
    elsewhere = page.context.browser.new_context(
        viewport={"width": 1280, "height": 800}
    )  # another machine: it is not told
    other = elsewhere.new_page()
    other.goto(page.url)
    other.wait_for_selector("#at-full")
    page.fill("#at-full", "#ff0000")
    page.dispatch_event("#at-full", "change")
    wait(page, "document.querySelector('#undo').title === 'Undo: Set the fill of Moth one at full'")
    page.expect_console("409")
    other.on("console", lambda message: None)
    other.click("#add-step")
    other.click("[data-pick='step'][data-id='flip']")
    other.wait_for_selector("#notice:not([hidden])")
    assert "changed in another tab since: 'Set the fill of Moth one at full'" in other.inner_text("#notice-words")
    wait(other, "document.querySelector('#at-full').value === '#ff0000'")  # it shows how things stand
    elsewhere.close()


def test_a_property_that_is_picked_before_the_sound_is_read_is_driven_when_it_is(page, tmp_path):
    long = np.tile(drums(seconds=10.0)[0], 9)  # so that its analysis waits or is under way when the property is picked
    path = tmp_path / "Rain drums.wav"
    path.write_bytes(wav(long, rate_hz=44_100, subtype="PCM_16"))
    drop_sound(page, path)
    pick(page, "#first-target", "lamp-bulb:scale_y")
    assert page.request.get(page.url.rpartition("/")[0] + "/work").json()["jobs"], "it is not read yet"
    page.wait_for_selector("#plot")
    assert page.input_value("#mapping-name") == "Lamp bulb height"
    assert not page.is_visible("#notice")

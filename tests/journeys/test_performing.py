"""Performing in the browser: the rehearsal hand against the truth, real keys, rounds, hits under the hand."""

import numpy as np
import pytest
from tests.journeys.conftest import axe, on_stage, wait
from tests.journeys.test_ways import choose, quiet

pytestmark = pytest.mark.alone

MODULE = """(async () => {
    const { getPack } = await script('server');
    const { transport } = await script('transport');
    const { project } = await script('project');
    %s
})()"""


def run(page, script):
    return page.evaluate(MODULE % script)


def level(page, envelope):
    return run(
        page,
        f"""const pack = await getPack(project.url("sound/shown?envelope={envelope}&track=drip"));
        const of = (at) => (at === undefined ? [] : [...pack.arrays[at]]);
        const {{ level, rhythm }} = pack.head;
        const raw = of(level.raw).flatMap((row) => [...row]);
        return {{ raw, hits: of(level.hits?.frames), truth: of(rhythm.hits) }};""",
    )


def record(page, ms):
    page.click("#perform-record")
    page.wait_for_selector("#perform[data-state='recording']")
    page.wait_for_timeout(ms)
    page.click("#perform-record")
    page.wait_for_selector("#perform[data-state='ready']")
    quiet(page)


def test_the_rehearsal_hand_is_calibrated_and_taps_the_drips_where_they_are(performing):
    page = performing
    assert axe(page) == []
    page.fill("#rehearsal-late", "65")
    page.click("#calibrate")
    page.wait_for_selector("#perform[data-state='calibrating']")
    page.wait_for_selector("#perform[data-state='ready']")
    page.wait_for_selector("#latency-words:has-text('±')")
    assert abs(float(page.inner_text("#latency-words").split()[0]) - 65) <= 3
    record(page, 6000)
    page.wait_for_selector("[data-show-envelope='taps-1'][aria-current]")
    got = level(page, "taps-1")
    hits, truth = np.array(got["hits"]) / 30, np.array(got["truth"]) / 30
    truth = truth[truth < hits.max() + 0.05]
    assert len(truth) >= 6
    nearest = [hits[np.argmin(np.abs(hits - time))] for time in truth]
    assert np.median(np.abs(np.array(nearest) - truth)) < 0.003
    same = [int(a * 30 + 1e-4) == int(b * 30 + 1e-4) for a, b in zip(nearest, truth, strict=True)]
    assert np.mean(same) >= 0.95


def test_the_rehearsal_pad_taps_as_strongly_as_the_hits_are(performing):
    page = performing
    page.select_option("#perform-device", "rehearsal pad")
    record(page, 4000)
    page.wait_for_selector("[data-show-envelope='taps-1'][aria-current]")
    taken = run(
        page,
        """const { head, arrays } = await getPack(project.url("sound/shown?envelope=taps-1&track=drip"));
        const [of, hits] = [head.level.hits, head.rhythm];
        return [of.frames, of.strengths, hits.hits, hits.strengths].map((at) => [...arrays[at]]);""",
    )
    frames, strengths, truth, strong = map(np.array, taken)
    assert len(frames) >= 4 and np.ptp(strong) > 0.05
    wanted = [strong[np.argmin(np.abs(truth - frame))] for frame in frames]
    np.testing.assert_allclose(strengths, wanted, atol=0.01)


def test_a_gesture_is_read_as_it_was_led_and_a_loop_gives_a_take_a_round(performing):
    page = performing
    page.fill("#rehearsal-late", "0")
    page.click("[data-performs='gesture']")
    run(page, "transport.select([30, 75]); transport.loop();")
    record(page, 4200)
    page.wait_for_selector("[data-show-envelope='up-1'][aria-current]")
    assert page.locator("[data-use-take]").count() >= 2
    page.click("#perform-close")
    page.click("[data-use-take='0']")
    quiet(page)
    assert page.get_attribute("[data-use-take='0']", "aria-pressed") == "true"
    raw = np.array(level(page, "up-1")["raw"])
    seconds = (np.arange(36, 72) + 0.5) / 30
    truth = 0.5 - 0.45 * np.cos(2 * np.pi * seconds / 3)
    assert np.abs(raw[36:72] - truth).max() < 0.01 * 0.9, "the first round was led to its end"


def test_keys_that_are_pressed_while_it_plays_are_taps_and_its_hits_are_edited(performing):
    page = performing
    page.select_option("#perform-device", "keys and pointer")
    page.evaluate(
        """() => { window.pressed = []; window.looks = [];
            const press = ({ key, timeStamp }) => key === "j" && pressed.push(timeStamp / 1000);
            document.addEventListener("keydown", press, true);
            setInterval(() => {
                const player = document.querySelector("#heard");
                if (!player.paused) looks.push([performance.now() / 1000, player.currentTime]);
            }, 10); }"""
    )
    page.click("#perform-record")
    page.wait_for_selector("#perform[data-state='recording']")
    page.wait_for_timeout(1200)
    for _ in range(4):
        page.keyboard.press("j")
        page.wait_for_timeout(400)
    page.keyboard.press("Escape")
    page.wait_for_selector("#perform[data-state='ready']")
    page.wait_for_selector("[data-show-envelope='taps-1'][aria-current]")
    quiet(page)
    hits = np.array(level(page, "taps-1")["hits"]) / 30
    pressed, (now, player) = np.array(page.evaluate("pressed")), np.array(page.evaluate("looks")).T
    near = [np.abs(now - moment) < 1 for moment in pressed]  # what a player says can be old where a machine is busy
    heard = [moment + np.median((player - now)[some]) for moment, some in zip(pressed, near, strict=True)]
    assert len(hits) == 4 and np.abs(hits - heard).max() < 0.05, "as the player says, within its steps"
    page.keyboard.press("Escape")
    assert page.locator("#perform").is_hidden()
    page.click("#hit-after")
    assert page.inner_text("#hit-count").startswith("hit 1 of 4")
    page.fill("#hit-time", "0.5")
    page.press("#hit-time", "Enter")
    page.wait_for_selector("#hit-count:has-text('1 edited')")
    assert level(page, "taps-1")["hits"][0] == pytest.approx(15, abs=1e-3)
    box = page.locator("#trace").bounding_box()
    page.mouse.dblclick(box["x"] + 0.6 * box["width"], box["y"] + 60)
    page.wait_for_selector("#hit-count:has-text('5 hits, 2 edited')")
    page.click("#hit-before")
    page.locator("#trace").focus()
    page.keyboard.press("Delete")
    page.wait_for_selector("#hit-count:has-text('4 hits')")
    page.click("#hits-forget")
    page.wait_for_selector("#hits-forget", state="hidden")
    assert level(page, "taps-1")["hits"] == pytest.approx((hits * 30).tolist(), abs=1e-3)


def test_a_midi_device_is_a_pad_and_where_there_is_none_that_is_said(performing):
    page = performing
    page.evaluate("() => { navigator.requestMIDIAccess = async () => { throw new Error('no'); }; }")
    page.select_option("#perform-device", "MIDI")
    page.wait_for_selector("#notice:not([hidden])")
    assert "gives no MIDI devices" in page.inner_text("#notice")
    assert page.input_value("#perform-device") == "keys and pointer"
    page.evaluate(
        """() => { window.pad = new EventTarget();
            navigator.requestMIDIAccess = async () => ({ inputs: new Map([["pad", window.pad]]) }); }"""
    )
    page.select_option("#perform-device", "MIDI")
    page.click("#perform-record")
    page.wait_for_selector("#perform[data-state='recording']")
    page.wait_for_timeout(1000)
    page.evaluate("() => window.pad.dispatchEvent(Object.assign(new Event('midimessage'), { data: [0x90, 60, 64] }))")
    page.click("#perform-record")
    page.wait_for_selector("[data-show-envelope='taps-1'][aria-current]")
    assert len(level(page, "taps-1")["hits"]) == 1


def test_a_take_that_cannot_be_sent_is_offered_again(performing):
    page = performing
    page.expect_console("503")
    page.route("**/takes?*", lambda route: route.fulfill(status=503, json={"what": "Full.", "remedy": "Wait."}))
    record(page, 2500)
    page.wait_for_selector("#notice:not([hidden])")
    page.unroute("**/takes?*")
    page.click("#notice-act")
    page.wait_for_selector("[data-show-envelope='taps-1'][aria-current]")


def test_a_property_is_led_by_its_knob_while_the_sound_plays(demo):
    page = demo
    page.goto(page.url.rpartition("/")[0] + "/stage")  # its sound lasts longer than a busy machine takes
    on_stage(page)
    choose(page, "frond-left")
    page.click("[data-lead='frond-left:x']")
    assert page.get_attribute("[data-lead='frond-left:x']", "aria-pressed") == "true"
    knob = page.locator("input[data-try='frond-left:x']")
    page.wait_for_timeout(500)
    for _ in range(4):
        knob.press("PageUp")
        page.wait_for_timeout(250)
    held = knob.input_value()
    page.keyboard.press("Escape")
    page.wait_for_selector("#notice:has-text('led by Frond left across')")
    quiet(page)
    row = page.locator("[data-property='frond-left:x']")
    assert row.locator("[data-lead]").get_attribute("data-into") == "frond-left-across"
    values = run(
        page,
        """const { head, arrays } = await getPack(project.url("curves"));
        return [...arrays[head.curves["frond-left:x"].values]];""",
    )
    low, high = (float(row.locator("[data-lead]").get_attribute(f"data-{end}")) for end in ("rest", "full"))
    assert values[-1] == pytest.approx(low + int(held) / 1000 * (high - low), abs=0.005 * (high - low))
    assert len({round(value, 3) for value in values}) > 4 and np.all(np.diff(values) >= -1e-6), "it rose by steps"
    page.click("[data-lead='frond-left:x']")
    page.wait_for_timeout(400)
    page.click("[data-lead='frond-left:x']")
    page.wait_for_selector("#notice:has-text('nothing is stored')")


def test_a_part_is_led_over_the_stage_in_both_directions_at_once(demo):
    page = demo
    page.goto(page.url.rpartition("/")[0] + "/stage")
    on_stage(page)
    choose(page, "frond-left")
    page.click("[data-lead='frond-left:x']")
    assert page.get_attribute("[data-lead='frond-left:y']", "aria-pressed") == "true", "both may be led"
    page.wait_for_timeout(500)
    box = page.locator("#stage").bounding_box()
    scale = box["width"] / 1920
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    low, high = (
        [float(page.get_attribute(f"[data-lead='frond-left:{name}']", f"data-{end}")) for name in "xy"]
        for end in ("rest", "full")
    )
    page.mouse.move(x, y)
    page.mouse.down()
    for step in range(1, 9):
        page.mouse.move(x + 5 * step, y - 3 * step)
        page.wait_for_timeout(80)
    page.mouse.up()
    shown = [float(page.input_value(f"input[data-try='frond-left:{name}']")) for name in "xy"]
    page.wait_for_timeout(300)
    page.keyboard.press("Escape")
    page.wait_for_selector("#notice:has-text('led by Frond left across')")
    quiet(page)
    ends = run(
        page,
        """const { head, arrays } = await getPack(project.url("curves"));
        return ["x", "y"].map((name) => [...arrays[head.curves[`frond-left:${name}`].values]].at(-1));""",
    )
    for place, moved in enumerate((40 / scale, -24 / scale)):
        reach = high[place] - low[place]
        assert ends[place] == pytest.approx(low[place] + shown[place] / 1000 * reach, abs=0.005 * reach)
        assert ends[place] == pytest.approx(moved, abs=0.05 * abs(moved) + 0.01 * reach)
    page.click("[data-lead='frond-left:y']")
    assert page.get_attribute("[data-lead='frond-left:x']", "aria-pressed") == "true", "both once more"
    page.keyboard.press("Escape")


def test_a_round_of_a_page_that_was_killed_is_offered_when_it_is_opened_again(demo):
    """A page that is killed hears nothing of it: here it is kept from hearing that it goes."""
    page = demo
    page.add_init_script("window.addEventListener('pagehide', (event) => event.stopImmediatePropagation())")
    page.goto(page.url.rpartition("/")[0] + "/sound")
    page.wait_for_selector("#ribbon")
    page.click("#open-perform")
    page.select_option("#perform-count", "0")
    page.click("#perform-record")
    page.wait_for_selector("#perform[data-state='recording']")
    page.wait_for_timeout(600)
    for _ in range(3):
        page.keyboard.press("j")
        page.wait_for_timeout(250)
    page.wait_for_timeout(2000)  # it is remembered every second and a half
    wait(page, "Object.keys(localStorage).some((name) => name.startsWith('ft:round:'))")
    page.goto(page.url)
    page.wait_for_selector("#notice:has-text('was not stored')", timeout=20_000)
    page.click("#notice-act")
    wait(page, "document.querySelector('#undo').title.includes('Perform Taps 1')")
    wait(page, "!Object.keys(localStorage).some((name) => name.startsWith('ft:round:'))")
    quiet(page)
    assert len(level(page, "taps-1")["hits"]) == 3

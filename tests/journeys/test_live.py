"""Live in the browser: the stage moves by what is heard, says how late, keeps it, and says what it cannot have."""

from contextlib import ExitStack

import numpy as np
import pytest
import soundfile
from tests.journeys.conftest import CHROMIUM, FLAGS, ask, on_stage, wait
from websockets.sync.client import connect

from fern_tide.web.lines import MOST_LINES

pytestmark = pytest.mark.alone

RATE = 48_000
FAKE = ("--use-fake-ui-for-media-stream", "--use-fake-device-for-media-stream")
GLOWS = """[...document.querySelectorAll(".tree-row")].filter((row) => row.textContent.includes("Lamp glow"))
  .map((row) => row.querySelector("[data-running]").textContent)"""
HUMS = """async () => {
  const context = new AudioContext();
  const into = context.createMediaStreamDestination();
  const hum = new OscillatorNode(context, { frequency: 90 });
  hum.connect(into);
  hum.start();
  window.hum = hum;
  return into.stream;
}"""

REFUSES = "async () => { throw new DOMException('', 'NotAllowedError'); }"
SILENT = "async () => document.createElement('canvas').captureStream()"


def instead(name, does):
    """A script that lets a device of the browser do something else."""
    return f"() => {{ navigator.mediaDevices.{name} = {does}; }}"


@pytest.fixture
def stage(page):
    page.expect_console("GPU stall")
    page.goto(ask(page, "/projects/demo")["url"].rpartition("/")[0] + "/stage")
    on_stage(page)
    wait(page, "document.getElementById('work').childElementCount === 0")
    return page


def start(page, source="rehearsal"):
    page.click("#live-open")
    page.select_option("#live-source", source)
    page.click("#live-start")


def runs(page):
    page.wait_for_selector("#live[data-state='on']")
    page.wait_for_selector("#live-words:has-text('from sound to picture')")


def running(page):
    """What is written beside everything that is driven now."""
    return page.evaluate("[...document.querySelectorAll('[data-running]')].map((output) => output.textContent).join()")


def moves(page):
    """Whether what is written changes again and again; a busy machine, or a pause of the sound, may take a while."""
    seen = set()
    for _ in range(80):
        seen.add(running(page))
        if len(seen) > 3:
            return True
        page.wait_for_timeout(120)
    return False


def test_what_the_rehearsal_microphone_hears_moves_the_stage_and_is_kept(stage):
    page = stage
    wait(page, "[...document.querySelectorAll('[data-running]')].every((output) => output.textContent)")
    before = running(page)
    start(page)
    runs(page)
    assert moves(page)
    assert "ms late" in page.inner_text("#live-lags") and page.get_attribute("#live-open", "aria-pressed") == "true"
    page.click("#live-keep")
    page.wait_for_selector("#notice:has-text('It is the track Live 1 now.')")
    page.click("#notice-other")
    wait(page, "document.querySelector('#undo').title.includes('Move the stage by Live 1')")
    page.wait_for_selector("#live-lags:has-text('live 1')")  # it listens on, to the document as it is now
    assert moves(page)
    page.click("#live-start")
    page.wait_for_selector("#live[data-state='off']")
    page.keyboard.press("Control+z")
    wait(page, "document.querySelector('#undo').title.includes('Add the track Live 1')")
    page.keyboard.press("Control+z")
    wait(page, f"[...document.querySelectorAll('[data-running]')].map((o) => o.textContent).join() === {before!r}")


def test_an_edit_is_seen_while_it_is_live(stage):
    page = stage
    start(page)
    runs(page)
    page.click("[data-larger], #only-larger")
    wait(page, "!document.querySelector('.htmx-request')")
    assert page.get_attribute("#live-open", "aria-pressed") == "true", "panels that are drawn anew know that it is on"
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("Escape")
    assert page.is_hidden("#live") and moves(page), "a closed panel ends nothing"
    page.click("#live-open")
    page.click("#live-start")
    page.wait_for_selector("#live[data-state='off']")


def test_a_microphone_moves_the_stage_by_what_is_fed_to_it(browser, server, tmp_path):
    """A tone for one second in two: what it drives goes up and down with it."""
    t = np.arange(4 * RATE) / RATE
    path = tmp_path / "tone.wav"
    soundfile.write(path, 0.5 * np.sin(2 * np.pi * 100 * t) * (t % 2 < 1), RATE, subtype="PCM_16")
    flags = [*FLAGS, *FAKE, f"--use-file-for-fake-audio-capture={path}"]
    other = browser.browser_type.launch(executable_path=CHROMIUM, args=flags)
    page = other.new_page(base_url=server.url, viewport={"width": 1280, "height": 800})
    page.set_default_timeout(60_000)
    page.goto("/")
    page.goto(ask(page, "/projects/demo")["url"].rpartition("/")[0] + "/stage")
    on_stage(page)
    start(page, "microphone")
    runs(page)
    values = []
    for _ in range(80):
        rows = page.evaluate(GLOWS)
        values.append(float(rows[0]))
        page.wait_for_timeout(50)
    other.close()
    spread = max(values) - min(values)
    assert spread > 0.02
    high = np.array(values) > (max(values) + min(values)) / 2
    assert 2 <= np.count_nonzero(np.diff(high.astype(int))) <= 12, "it goes up and down as often as the tone, about"


def test_a_tab_moves_the_stage_and_one_without_sound_is_said(stage):
    page = stage
    page.evaluate(instead("getDisplayMedia", REFUSES))
    start(page, "tab")
    page.wait_for_selector("#notice:has-text('No tab was shared')")
    page.wait_for_selector("#live[data-state='off']")
    page.evaluate(instead("getDisplayMedia", SILENT))
    page.click("#live-start")
    page.wait_for_selector("#notice:has-text('without its sound')")
    page.evaluate(instead("getDisplayMedia", HUMS))
    page.click("#live-start")
    runs(page)
    wait(page, "Number(document.querySelector('[data-running]').textContent) !== 0")
    page.evaluate("window.hum.stop()")
    page.click("#live-start")
    page.wait_for_selector("#live[data-state='off']")


def test_a_microphone_that_is_refused_is_said_and_nothing_moves(stage):
    page = stage
    page.evaluate(instead("getUserMedia", REFUSES))
    start(page, "microphone")
    page.wait_for_selector("#notice:has-text('The microphone was refused')")
    page.wait_for_selector("#live[data-state='off']")
    assert page.inner_text("#live-start") == "Start" and page.is_disabled("#live-keep")


def heard_of(page):
    """The lines that a page opens, by session, with how many messages went on each; and what it asks by requests."""
    lines, asked = {}, []

    def opened(socket):
        name = socket.url.split("/live/")[1].split("/")[0]
        lines[name] = 0
        socket.on("framesent", lambda _: lines.__setitem__(name, lines[name] + 1))

    page.on("websocket", opened)
    page.on("request", lambda request: asked.append(request.url) if "/live/" in request.url else None)
    return lines, asked


def test_an_application_that_began_anew_is_asked_again_and_a_room_that_is_left_listens_no_more(stage):
    page = stage
    lines, asked = heard_of(page)
    start(page)
    runs(page)
    (session,) = lines
    page.evaluate(
        "(name) => fetch(location.pathname.replace('/stage', `/live/${name}/close`), { method: 'POST', headers: {"
        " 'X-CSRF-Token': document.querySelector('meta[name=csrf-token]').content } })",
        session,
    )
    for _ in range(100):
        if len(lines) == 2 and min(lines.values()) > 5:
            break
        page.wait_for_timeout(100)
    assert len(lines) == 2 and moves(page) and page.get_attribute("#live", "data-state") == "on"
    assert not any("/samples" in url for url in asked)
    page.click("#rooms >> text=Bench")
    page.wait_for_selector("[data-room='bench']")
    page.wait_for_timeout(500)
    sent = dict(lines)
    page.wait_for_timeout(700)
    assert lines == sent and any("/close" in url for url in asked[-3:])


def test_where_there_is_no_line_it_goes_by_requests(stage):
    page = stage
    lines, asked = heard_of(page)
    project = page.url.rpartition("/")[0]
    session = ask(page, f"{project}/live", data={"rate_hz": RATE, "channels": 1})["id"]
    address = f"{project.replace('http', 'ws')}/live/{session}/line"
    page.expect_console("426")
    with ExitStack() as taken:
        for _ in range(MOST_LINES):
            taken.enter_context(connect(address))
        start(page)
        runs(page)
        assert moves(page) and any("/samples" in url for url in asked) and sum(lines.values()) == 0
    page.click("#live-start")
    page.wait_for_selector("#live[data-state='off']")


def test_it_goes_on_while_the_stage_has_the_whole_screen(stage):
    page = stage
    start(page)
    runs(page)
    page.click("#show-full")
    wait(page, "document.fullscreenElement?.id === 'stage'")
    page.wait_for_timeout(400)
    assert moves(page)
    page.evaluate("document.exitFullscreen()")
    wait(page, "!document.fullscreenElement")
    page.click("#live-start")
    page.wait_for_selector("#live[data-state='off']")

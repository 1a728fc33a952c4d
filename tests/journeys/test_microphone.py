"""A microphone in the browser: a fake device fed by a file, the rehearsal microphone, and what cannot be had."""

import io

import numpy as np
import pytest
import soundfile
from scipy.signal import correlate
from tests.journeys.conftest import CHROMIUM, FLAGS, ask, wait
from tests.journeys.test_ways import quiet

pytestmark = pytest.mark.alone

RATE = 48_000
FAKE = ("--use-fake-ui-for-media-stream", "--use-fake-device-for-media-stream")


HEARS = """() => {
  const ways = new Set();
  const [connect, disconnect] = [GainNode.prototype.connect, GainNode.prototype.disconnect];
  AudioNode.prototype.connect = function (to, ...more) {
    if (this instanceof GainNode && to instanceof AudioDestinationNode) ways.add(this);
    return connect.call(this, to, ...more);
  };
  AudioNode.prototype.disconnect = function (...what) {
    ways.delete(this);
    return disconnect.apply(this, what);
  };
  window.heard = () => ways.size;
}"""
"""Counts the gains through which something is heard."""


SAYS = """() => {
  const settings = MediaStreamTrack.prototype.getSettings;
  MediaStreamTrack.prototype.getSettings = function () {
    return { ...settings.call(this), latency: 0.012 };
  };
}"""
"""Lets the browser say how late its device is."""


FORGOTTEN = """(async () => {
  const opening = indexedDB.open("fern-tide", 1);
  await new Promise((on) => (opening.onsuccess = on));
  const transaction = opening.result.transaction(["recordings", "pieces"], "readonly");
  const counts = ["recordings", "pieces"].map((name) => transaction.objectStore(name).count());
  await new Promise((on) => (transaction.oncomplete = on));
  opening.result.close();
  return counts.every(({ result }) => result === 0);
})()"""
"""Whether the browser remembers no recording for the next page."""


def chirp() -> np.ndarray:
    n = 4 * RATE
    return 0.3 * np.sin(2 * np.pi * np.cumsum(np.linspace(200, 900, n)) / RATE) * np.linspace(0.2, 1, n)


def record(page, ms):
    page.select_option("#perform-count", "0")
    page.click("#perform-record")
    page.wait_for_selector("#perform[data-state='recording']")
    page.wait_for_timeout(ms)
    page.click("#perform-record")
    page.wait_for_selector("[data-row^='recording'].track-shown", timeout=30_000)
    quiet(page)


def files_of(server):
    """What was brought in or recorded: not what is being worked out of it, which comes and goes."""
    return [path for path in (server.data / "media").rglob("*") if path.is_file() and path.suffix != ".part"]


def last_sound(server):
    newest = sorted(files_of(server), key=lambda path: path.stat().st_mtime, reverse=True)
    content = next(data for path in newest if (data := path.read_bytes())[:4] == b"RIFF" and b"fact" in data[:60])
    return soundfile.read(io.BytesIO(content), always_2d=True)


def test_what_a_device_hears_becomes_a_track_sample_for_sample(browser, server, tmp_path):
    fed, path = chirp(), tmp_path / "fed.wav"
    soundfile.write(path, fed, RATE, subtype="PCM_16")
    flags = [*FLAGS, *FAKE, f"--use-file-for-fake-audio-capture={path}"]
    other = browser.browser_type.launch(executable_path=CHROMIUM, args=flags)  # flags are those of a whole browser
    page = other.new_page(base_url=server.url, viewport={"width": 1280, "height": 800})
    page.set_default_timeout(60_000)
    page.goto("/")
    page.goto(ask(page, "/projects/demo")["url"].rpartition("/")[0] + "/sound")
    page.wait_for_selector("#open-perform")
    page.click("#open-perform")
    page.evaluate(HEARS)
    page.evaluate(SAYS)
    page.click("[data-performs='microphone']")
    page.wait_for_selector("#monitor-row:not([hidden])")
    assert page.get_attribute("#monitor", "aria-pressed") == "false" and page.evaluate("window.heard()") == 0
    wait(page, "document.querySelector('#latency-words').textContent === '12 ms, says the browser'")  # once it is open
    page.click("#monitor")
    assert page.get_attribute("#monitor", "aria-pressed") == "true" and page.evaluate("window.heard()") == 1
    page.click("#monitor")
    assert page.evaluate("window.heard()") == 0
    record(page, 4000)
    other.close()
    sound, rate = last_sound(server)
    assert rate == RATE
    heard = sound[RATE // 2 : RATE // 2 + 9600, 0]
    twice = np.tile(fed, 2)
    place = int(np.argmax(correlate(twice, heard, mode="valid", method="fft")))
    there = twice[place : place + len(heard)]
    assert np.corrcoef(heard, there)[0, 1] > 0.9995
    assert np.abs(heard - there).max() < 0.02 * np.abs(there).max(), "up to the browser's own resampling"


@pytest.fixture
def with_microphone(performing):
    page = performing
    page.click("[data-performs='microphone']")
    return page


def test_the_rehearsal_microphone_is_calibrated_and_lies_where_it_was_heard(with_microphone, server):
    page = with_microphone
    page.expect_console("microphone")
    page.select_option("#perform-device", "rehearsal microphone")
    page.fill("#rehearsal-late", "80")
    page.press("#rehearsal-late", "Tab")
    quiet(page)
    page.click("#calibrate")
    page.wait_for_selector("#perform[data-state='calibrating']")
    page.wait_for_selector("#latency-words:has-text('±')")
    assert abs(float(page.inner_text("#latency-words").split()[0]) - 80) < 15
    record(page, 3500)
    assert page.locator("[data-row^='recording']").count() == 1


LEFT = """async () => {
    const { RehearsalMicrophone } = await script("microphone");
    const { transport } = await script("transport");
    const context = new AudioContext();
    const how = { url: transport.audio.dataset.url, late: 0, noise_db: -70, drift_ppm: 0 };
    const coming = new RehearsalMicrophone(how).into(context, new GainNode(context));
    await context.close();
    return coming;
}"""


def test_a_rehearsal_microphone_that_is_left_before_its_sound_is_there_builds_nothing(performing):
    """Chromium would warn of every node that is made for a context that is closed, and the page fail its test."""
    assert performing.evaluate(LEFT) is None


def test_a_microphone_that_cannot_be_had_is_said(with_microphone):
    page = with_microphone
    for name, words in (("NotAllowedError", "was refused"), ("NotFoundError", "There is no microphone")):
        page.evaluate(
            "(name) => (navigator.mediaDevices.getUserMedia = async () => { throw new DOMException('', name); })", name
        )
        page.click("[data-performs='taps']")
        page.click("[data-performs='microphone']")
        page.wait_for_selector(f"#notice:has-text('{words}')")


def test_a_recording_of_a_page_that_was_killed_is_offered_when_it_is_opened_again(demo, server):
    """A page that is killed hears nothing of it: here it is kept from hearing that it goes."""
    page = demo
    page.add_init_script("window.addEventListener('pagehide', (event) => event.stopImmediatePropagation())")
    page.goto(page.url.rpartition("/")[0] + "/sound")
    page.wait_for_selector("#ribbon")
    page.click("#open-perform")
    page.click("[data-performs='microphone']")
    page.select_option("#perform-device", "rehearsal microphone")
    page.select_option("#perform-count", "0")
    page.click("#perform-record")
    page.wait_for_selector("#perform[data-state='recording']")
    page.wait_for_timeout(3800)
    assert not page.evaluate(FORGOTTEN)
    before = len(files_of(server))
    page.goto(page.url)
    page.wait_for_selector("#notice:has-text('was recorded last was not stored')", timeout=20_000)
    page.click("#notice-act")
    page.wait_for_selector("[data-row^='recording']", timeout=30_000)
    quiet(page)
    assert len(files_of(server)) > before
    sound, rate = last_sound(server)
    assert rate == RATE and 2.0 < len(sound) / RATE < 6.0 and np.abs(sound).max() > 1e-5
    wait(page, FORGOTTEN)  # once it is stored

"""The Sound room as a designer uses it: draw a band, tune it, line up a second track, hear only what is switched on."""

import io
import json
from itertools import pairwise

import numpy as np
import pytest
import soundfile
from tests.conftest import sine, wav
from tests.core.envelope.test_hits_and_beats import band_drums
from tests.journeys.conftest import axe, open_sound, pick, wait
from tests.journeys.test_bench import undo_says

RATE_HZ = 44_100
BEATS, TRUTH = band_drums(120, n_beats=16)
MIX = wav(BEATS, rate_hz=RATE_HZ)
TONE = wav(np.concatenate([np.zeros(RATE_HZ), sine(500, seconds=3, rate_hz=RATE_HZ)]), rate_hz=RATE_HZ)


ROW_OF = """async (hz) => {
    const { rowOf } = await script('spectrogram');
    return rowOf(hz, document.querySelector('#bands').clientHeight);
}"""


def row_of(page, hz):
    return page.evaluate(ROW_OF, hz)


def idle(page):
    wait(page, "document.getElementById('work').childElementCount === 0")
    page.wait_for_timeout(300)
    wait(page, "document.getElementById('work').childElementCount === 0")


@pytest.fixture
def room(page):
    open_sound(page, MIX, room="sound")
    page.wait_for_selector("#bands")
    idle(page)
    wait(page, "document.querySelector('#hit-words').textContent.includes('hits')")
    return page


def drag(page, *points):
    page.mouse.move(*points[0])
    page.mouse.down()
    for a, b in pairwise(points):
        for step in range(1, 7):
            page.mouse.move(a[0] + (b[0] - a[0]) * step / 6, a[1] + (b[1] - a[1]) * step / 6)
            page.wait_for_timeout(15)
    page.mouse.up()


def draw_band(page, low, high):
    box = page.locator("#bands").bounding_box()
    x = box["x"] + 200
    drag(page, (x, box["y"] + row_of(page, high)), (x + 30, box["y"] + row_of(page, low)))
    wait(page, "document.querySelector('#envelope-name').value.startsWith('Band')")
    idle(page)


def test_a_band_is_drawn_tuned_heard_and_undone(room):
    draw_band(room, 40, 160)
    low, high = (float(room.input_value(f"#reading-{name}_hz")) for name in ("low", "high"))
    assert low == pytest.approx(40, rel=0.06) and high == pytest.approx(160, rel=0.06)
    assert room.locator("#level-here").text_content() != "–"

    box = room.locator("#bands").bounding_box()
    x = box["x"] + 300
    drag(room, (x, box["y"] + row_of(room, high)), (x, box["y"] + row_of(room, 400)))
    wait(room, "Math.abs(Number(document.querySelector('#reading-high_hz').value) - 400) < 25")
    assert float(room.input_value("#reading-low_hz")) == low
    idle(room)

    room.click("#listen")
    wait(room, "document.getElementById('heard').src.includes('band.wav')")
    wait(room, "!document.getElementById('heard').paused")
    room.click("#play")
    room.click("#listen")
    wait(room, "document.getElementById('heard').src.includes('/heard/')")

    room.click("#undo")
    wait(room, f"Number(document.querySelector('#reading-high_hz').value) === {high}")


def test_the_edges_push_each_other_when_typed(room):
    draw_band(room, 40, 160)
    room.fill("#reading-low_hz", "500")
    room.press("#reading-low_hz", "Enter")
    wait(room, "Number(document.querySelector('#reading-high_hz').value) > 500")
    assert not room.is_visible("#notice")


def test_a_file_that_is_being_chosen_arrives_though_the_page_is_drawn_anew_meanwhile(room):
    with room.expect_file_chooser() as chooser:
        room.click("text=Add sound files")
    room.evaluate("document.getElementById('file').dataset.same = 'yes'")
    room.press("body", "m")  # a marker: the page is drawn anew
    room.wait_for_selector("[data-go]", state="attached")
    assert room.get_attribute("#file", "data-same") == "yes"
    chooser.value.set_files({"name": "Tone.wav", "mimeType": "audio/wav", "buffer": TONE})
    room.wait_for_selector("[data-show-track='tone']")


def test_stems_that_come_together_are_all_taken_in_and_what_is_none_is_named(room):
    room.expect_console("the server responded with a status of 4")
    names = ("Kick.wav", "Torn.wav", "Pad.wav", "Tone.wav")
    contents = [TONE if name != "Torn.wav" else b"RIFF" for name in names]
    files = [
        {"name": name, "mimeType": "audio/wav", "buffer": item} for name, item in zip(names, contents, strict=True)
    ]
    room.set_input_files("#file", files)
    wait(room, "document.querySelector('#notice-words').textContent.startsWith('Torn.wav: ')")
    for track in ("kick", "pad", "tone"):
        room.wait_for_selector(f"[data-show-track='{track}']")
    assert room.locator("[data-show-track]").count() == 4  # with the room's own
    wait(room, "document.querySelector('#envelope-name').value === 'Tone'")  # the last is shown whole
    idle(room)  # they are read, and the room is drawn anew
    assert room.is_visible("#notice") and not room.is_visible("#drop-work")
    assert room.inner_text("#drop-words") == "or drop them here"


def test_a_second_track_is_lined_up_and_only_what_is_switched_on_is_heard(room):
    room.set_input_files("#file", {"name": "Tone.wav", "mimeType": "audio/wav", "buffer": TONE})
    room.wait_for_selector("[data-show-track='tone']")
    idle(room)
    room.click("[data-show-track='tone']")
    wait(room, "document.querySelector('#ribbon').dataset.track === 'tone'")
    wait(room, "document.querySelector('#hit-words').dataset.track === 'tone'")
    for _ in range(3):
        room.press("body", "Shift+ArrowRight")  # by beats of the drums
    at = int(room.locator("#frame-words").text_content().split()[1])
    room.select_option("#line-up", "sample:playhead")
    wait(room, "document.querySelector(\"[data-row='tone']\").dataset.offset !== '0'")
    onset_s = 1.0 + int(room.get_attribute("[data-row='tone']", "data-offset")) / RATE_HZ
    assert onset_s == pytest.approx(at / 30, abs=0.004)

    def pressed(track, name, state):
        button = f"[data-track='{track}'][data-switch='{name}']"
        room.click(button)
        wait(room, f'document.querySelector("{button}").getAttribute("aria-pressed") === "{state}"')

    def heard() -> np.ndarray:
        asked = "fetch(location.pathname.replace(/sound$/, 'heard')).then((answer) => answer.json())"
        url = room.evaluate(asked)["url"]
        if url is None:
            return np.zeros((1, 2))
        content = room.request.get(url).body()
        return soundfile.read(io.BytesIO(content))[0]

    def loud(samples, time_s):
        return float(np.abs(samples[round(time_s * RATE_HZ) : round((time_s + 0.05) * RATE_HZ)]).max())

    both = heard()
    assert loud(both, onset_s + 2.2) > 0.3
    pressed("tone", "heard", "false")
    drums_only = heard()
    assert loud(drums_only, float(TRUTH[3]) + 0.3) < 0.05 < loud(drums_only, float(TRUTH[4]))
    pressed("rain-drums", "muted", "true")
    assert not heard().any()

    room.click("[data-remove-track='tone']")
    wait(room, "!document.querySelector('#remove-ask').hidden")
    assert "the envelope Tone" in room.inner_text("#remove-ask")
    room.click("[data-remove-all='tone']")
    wait(room, "!document.querySelector(\"[data-show-track='tone']\")")


def test_beats_markers_and_the_work_range(room):
    room.fill("#tempo", "100")
    room.press("#tempo", "Enter")
    wait(room, "document.querySelector('#undo').title.includes('100 BPM')")
    room.evaluate("document.activeElement.blur()")
    room.press("body", "Home")
    room.press("body", "m")
    room.wait_for_selector("[data-remove-marker]")
    room.fill("#marker-marker-1-name", "Lamp comes on")
    room.press("#marker-marker-1-name", "Enter")
    wait(room, "document.querySelector('#marker-marker-1-name').defaultValue === 'Lamp comes on'")  # drawn anew
    box = room.locator("#ribbon").bounding_box()
    drag(room, (box["x"] + 1, box["y"] + 19), (box["x"] + 41, box["y"] + 19))
    wait(room, "Number(document.querySelector('[data-go]').dataset.go) > 0.3")
    drag(room, (box["x"] + 41, box["y"] + 19), (box["x"] - 30, box["y"] + 19))
    wait(room, "Number(document.querySelector('[data-go]').dataset.go) === 0")
    room.evaluate("document.activeElement.blur()")
    room.press("body", "Shift+ArrowRight")
    first = int(room.locator("#frame-words").text_content().split()[1])
    room.press("body", "Shift+ArrowRight")
    assert int(room.locator("#frame-words").text_content().split()[1]) - first == 18  # 0.6 s at 30 fps
    room.click("[data-work-here]")
    room.wait_for_selector("#work-in")
    room.fill("#work-in", "30")
    room.press("#work-in", "Enter")
    wait(room, "document.querySelector('#undo').title.includes('frames 30')")
    room.evaluate("document.activeElement.blur()")
    room.click("#loop")
    room.press("body", " ")
    wait(room, "document.querySelector('#frame-words').textContent.split(' ')[1] >= 30")
    room.press("body", " ")
    with room.expect_download() as got:
        room.click("a[href$='markers.csv']")
    assert "Lamp comes on" in got.value.path().read_text()
    assert axe(room) == []


def drive_the_lamp(room):
    """Drive something on the Bench, and come back."""
    room.press("body", "3")
    pick(room, "#first-target", "lamp:turn")
    room.wait_for_selector("canvas[data-lane]")
    room.press("body", "1")
    room.wait_for_selector("#swap-file", state="attached")


def test_a_swapped_file_says_what_moved(room):
    drive_the_lamp(room)
    quieter = BEATS * np.where(np.arange(BEATS.size) > 4 * RATE_HZ, 0.2, 1.0)
    content = wav(quieter, rate_hz=RATE_HZ)
    room.set_input_files("#swap-file", {"name": "New mix.wav", "mimeType": "audio/wav", "buffer": content})
    wait(room, "document.querySelector('#swap-report')?.textContent.includes('curves moved')")
    assert "1 of 1 driven curves moved" in room.inner_text("#swap-report")
    room.expect_console("422")
    room.set_input_files("#swap-file", {"name": "odd.wav", "mimeType": "audio/wav", "buffer": b"not a sound"})
    wait(room, "document.querySelector('#notice-words').textContent.includes('odd.wav')")


def test_every_reading_can_be_added_and_shows_a_trace(room):
    for reading in ("bank", "loudness", "noisiness", "pitch_classes", "hits", "beats", "blend", "curve"):
        room.select_option("#add-envelope", reading)
        wait(room, f"document.querySelector('#reading').value === '{reading}'")
        idle(room)
        wait(room, "document.querySelector('#level-here').textContent !== '–'")
    assert not room.is_visible("#notice")
    assert axe(room) == []


def test_hits_of_a_track_are_chosen_dragged_and_taken_away_on_the_ruler(room):
    wait(room, "document.querySelector('#hit-words').textContent.includes('hits')")
    script = "async () => Array.from((await script('rhythm')).rhythm.hits)"
    hits = room.evaluate(script)
    box = room.locator("#ribbon").bounding_box()
    frames = room.evaluate("JSON.parse(document.getElementById('status').textContent).frames")
    x, y = box["x"] + hits[1] / frames * box["width"], box["y"] + box["height"] - 4
    room.mouse.click(x, y)
    room.wait_for_selector("#track-hit:not([hidden])")
    assert float(room.input_value("#track-hit-time")) == pytest.approx(hits[1] / 30, abs=1e-3)
    drag(room, (x, y), (x + 30, y))
    undo_says(room, "Move a hit of")
    moved = hits[1] + 30 * frames / box["width"]
    wait(room, f"Math.abs(document.querySelector('#track-hit-time').value - {moved / 30}) < 0.02")
    room.fill("#track-hit-strength", "0.5")
    room.press("#track-hit-strength", "Enter")
    undo_says(room, "Weigh a hit of")
    room.evaluate("document.activeElement.blur()")
    room.press("body", "Delete")
    undo_says(room, "Take a hit away from")
    wait(room, "document.querySelector('#track-hit').hidden")
    wait(room, f"({script})().then(({{ length }}) => length === {len(hits) - 1})")
    room.click("#track-hit-add")
    undo_says(room, "Add a hit to")
    room.click("#track-hits-forget")
    undo_says(room, "Forget all edits of hits of")
    wait(room, "!document.querySelector('#track-hits-forget')")
    wait(
        room,
        f"({script})().then((now) => JSON.stringify(now) === {json.dumps(json.dumps(hits, separators=(',', ':')))})",
    )

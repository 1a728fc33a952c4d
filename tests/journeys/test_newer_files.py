"""Files that come late: newer versions under what is there, several in one go, and drawings beside them."""

import numpy as np
import pytest
from tests.conftest import sine, wav
from tests.core.envelope.test_notes import PLAYED
from tests.journeys.conftest import axe, open_sound, wait
from tests.journeys.test_sound_room import BEATS, MIX, RATE_HZ, TONE, drive_the_lamp, idle

QUIETER = wav(np.append(BEATS * np.where(np.arange(BEATS.size) > 4 * RATE_HZ, 0.2, 1.0), BEATS), rate_hz=RATE_HZ)
LEAF = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path id="leaf" d="M0 0h9v9z"/></svg>'
TRACKS = "[...document.querySelectorAll('[data-row] .name-input')].map(({ value }) => value).join()"

DROP = """([names, contents]) => {
    const carried = new DataTransfer();
    names.forEach((name, at) => carried.items.add(new File([contents[at]], name)));
    const how = { dataTransfer: carried, bubbles: true, cancelable: true };
    document.querySelector("#ribbon").dispatchEvent(new DragEvent("drop", how));
}"""


def files(**contents):
    return [{"name": name, "mimeType": "", "buffer": content} for name, content in contents.items()]


@pytest.fixture
def room(page):
    open_sound(page, MIX, room="sound", name="Rain.wav")
    page.wait_for_selector("#bands")
    idle(page)
    page.set_input_files("#file", files(**{"Tone.wav": TONE}))
    wait(page, f"{TRACKS} === 'Rain,Tone'")
    idle(page)
    return page


def test_newer_files_of_a_drop_go_under_their_tracks_and_one_undo_takes_all_back(room):
    drive_the_lamp(room)
    drop = files(**{"Late rain v2.wav": QUIETER, "Late tone v2.wav": wav(sine(300)), "Late clap.wav": MIX})
    room.set_input_files("#file", drop)
    wait(room, "document.querySelector('#notice-words').textContent.includes('look like newer files of Rain and Tone')")
    assert "1 other file comes in as new." in room.inner_text("#notice-words") and axe(room) == []
    assert room.evaluate(TRACKS) == "Rain,Tone"  # nothing is done yet
    room.click("#notice-act")
    wait(room, f"{TRACKS} === 'Rain,Tone,clap'")
    wait(room, "document.querySelector('#swap-report').textContent.includes('curves moved')")
    assert "of 1 driven curves moved" in room.inner_text("#swap-report")
    assert room.inner_text("#notice-words") == "Rain and Tone have newer files: what moved is below the tracks."
    undo = "Swap the files under Rain and Tone, add the track clap"
    wait(room, f"document.querySelector('#undo').title === 'Undo: {undo}'")
    idle(room)  # nothing is asked of the new track any more
    room.click("#notice-act")  # undo
    wait(room, f"{TRACKS} === 'Rain,Tone'")
    wait(room, f"document.querySelector('#redo').title === 'Redo: {undo}'")
    wait(room, "document.querySelector('#swap-report').hidden")  # nothing of it is so now
    room.click("#redo")
    wait(room, "!document.querySelector('#swap-report').hidden")
    room.click("#swap-report button:has-text('Close this report')")
    wait(room, "document.querySelector('#swap-report').hidden")


def test_files_that_look_newer_can_be_new_and_a_drawing_beside_them_goes_to_the_stage(room):
    room.expect_console("the server responded with a status of 4")
    room.evaluate(DROP, [["tone 2.wav", "leaf.svg"], ["no sound at all", LEAF]])
    wait(room, "document.querySelector('#notice-words').textContent === 'tone 2.wav looks like a newer file of Tone.'")
    assert room.inner_text("#notice-act") == "Put it under Tone"
    room.click("#notice-other")
    wait(room, "document.querySelector('#drop-words').textContent.includes('tone 2.wav: This is not a sound file')")
    wait(room, "document.querySelector('#notice-words').textContent === 'leaf.svg belongs on the Stage.'")
    room.click("#notice-act")
    wait(
        room,
        "document.querySelector('#notice-words').textContent.startsWith('leaf.svg: add it to what is on the stage')",
    )
    room.click("#notice-act")
    room.wait_for_selector(".tree-row[data-part='leaf']")
    rows = room.locator(".tree-row[data-part]").count()
    room.set_input_files("#scene-file", files(**{"leaf v2.svg": LEAF.replace("h9v9", "h8v8").encode()}))
    wait(room, "document.querySelector('#notice-words').textContent.startsWith('leaf v2.svg looks like a newer file')")
    assert room.inner_text("#notice-other") == "Add it"
    room.click("#notice-act >> text=Put it in its place")
    wait(room, "document.querySelector('#undo').title === 'Undo: Replace leaf.svg with leaf v2.svg'")
    assert room.locator(".tree-row[data-part]").count() == rows


def test_another_file_is_put_under_the_envelope_that_reads_one(room):
    room.expect_console("the server responded with a status of 4")
    room.set_input_files("#file", files(**{"Ramp.csv": b"time_s,value\n0,0\n4,1\n"}))
    wait(room, "document.querySelector('#envelope-name').value === 'Ramp'")
    count = room.locator("[data-show-envelope]").count()
    room.set_input_files("#curve-file", files(**{"Fall.csv": b"time_s,value\n0,1\n4,0\n"}))
    wait(room, "document.querySelector('#undo').title === 'Undo: Swap the file under Ramp'")
    wait(room, "document.querySelector('#swap-report').textContent.includes('Nothing is driven yet')")
    assert room.locator("[data-show-envelope]").count() == count and room.input_value("#envelope-name") == "Ramp"
    room.press("body", "Home")
    wait(room, "document.querySelector('#level-here').textContent.startsWith('1')")
    room.set_input_files("#curve-file", files(**{"Bells.mid": PLAYED}))
    wait(room, "document.querySelector('#notice-words').textContent.startsWith('Bells.mid: Ramp reads a curve')")

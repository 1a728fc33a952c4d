"""An answer that comes when the hand is at something else already shows nothing old, and nothing of another part."""

import numpy as np
import pytest
from tests.conftest import sine, wav
from tests.journeys.conftest import draw_anew, open_sound, stored, wait
from tests.journeys.test_poses import SCALE, number
from tests.journeys.test_sound_room import draw_band, idle
from tests.journeys.test_stage_room import drive
from tests.journeys.test_ways import UNDO, choose, quiet


def until(page, holds, otherwise):
    for _ in range(400):
        if holds():
            return
        page.wait_for_timeout(50)
    raise AssertionError(otherwise)


class Held:
    """The first answer to a question is held until it is let come; those to later ones come at once."""

    def __init__(self, page, question):
        self.page, self.first, self.later = page, None, 0
        page.route(question, self._answer)
        self.question = question

    def _answer(self, route):
        answer = route.fetch()
        if self.first is None:
            self.first = (route, answer)
        else:
            route.fulfill(response=answer)
            self.later += 1

    def wait(self, there):
        until(self.page, there, f"the page did not ask {self.question}")

    def comes(self, *, rest_ms=600):
        route, answer = self.first
        route.fulfill(response=answer)
        self.page.wait_for_timeout(rest_ms)
        self.page.unroute_all(behavior="wait")


def undone_and_redone(page, question):
    """Undo; once its answer waits, redo; when that is answered, let the answer of the undone come."""
    held = Held(page, question)
    page.click("#undo")
    held.wait(lambda: held.first is not None)
    page.click("#redo")
    held.wait(lambda: held.later > 0)
    held.comes()


def test_the_stage_shows_what_was_done_last(stage_room):
    choose(stage_room, "moth-one")
    drive(stage_room, "moth-one:scale_x")
    stage_room.evaluate("script('transport').then((m) => m.transport.seek(9))")
    wait(stage_room, f"{SCALE} !== 'scale(1 1)'")
    driven = stage_room.evaluate(SCALE)
    undone_and_redone(stage_room, "**/curves*")
    assert stage_room.evaluate(SCALE) == driven


def test_a_part_that_is_left_before_its_value_is_stored_goes_on_moving(stage_room):
    page = stage_room
    choose(page, "moth-one")
    page.click("#store-pose")
    page.wait_for_selector("#poses-sheet")
    choose(page, "moth-one")
    drive(page, "moth-one:scale_x")
    held = Held(page, "**/edits")
    number(page, "#own-x", 20)
    held.wait(lambda: held.first is not None)
    page.click("#its-poses")
    page.wait_for_selector("#next-pose")
    held.comes()
    wait(page, f"{UNDO}.startsWith('Undo: Set')")
    wait(page, f"{SCALE} === 'scale(1 1)'")
    page.evaluate("script('transport').then((m) => m.transport.seek(9))")
    wait(page, f"{SCALE} !== 'scale(1 1)'")


def test_an_own_value_is_seen_until_it_is_drawn(stage_room):
    choose(stage_room, "moth-one")
    held = Held(stage_room, "**/stage/drawing*")
    stage_room.focus("#own-scale_x")
    stage_room.keyboard.press("ArrowUp")
    held.wait(lambda: held.first is not None)
    stage_room.wait_for_timeout(200)
    stored = stage_room.evaluate(SCALE)
    assert stored != "scale(1 1)"
    stage_room.keyboard.down("ArrowUp")  # and the next one, that is only tried
    wait(stage_room, f"{SCALE} !== '{stored}'")
    tried = stage_room.evaluate(SCALE)
    held.comes()
    assert stage_room.evaluate(SCALE) == tried
    stage_room.keyboard.up("ArrowUp")
    wait(stage_room, f"{UNDO}.startsWith('Undo: Set')")
    assert stage_room.evaluate(SCALE) == tried


def test_an_own_value_is_seen_while_its_panel_comes_late(stage_room):
    choose(stage_room, "moth-one")
    held = Held(stage_room, "**/stage/parts?*")
    number(stage_room, "#own-scale_x", 0.5)
    held.wait(lambda: held.first is not None)
    stage_room.wait_for_timeout(400)
    assert stage_room.evaluate(SCALE) == "scale(0.5 1)"
    held.comes()
    assert stage_room.evaluate(SCALE) == "scale(0.5 1)"


def test_an_own_value_of_a_part_that_is_left_before_it_is_stored_is_seen(stage_room):
    choose(stage_room, "moth-one")
    held = Held(stage_room, "**/edits")
    number(stage_room, "#own-scale_x", 0.5)
    held.wait(lambda: held.first is not None)
    choose(stage_room, "moth-two")
    held.comes()
    assert stage_room.evaluate(SCALE) == "scale(0.5 1)"
    stage_room.click("#undo")
    wait(stage_room, f"{SCALE} === 'scale(1 1)'")


def test_a_reach_stays_where_the_hand_left_it_until_it_is_drawn(stage_room):
    page = stage_room
    page.select_option("#add-part", "reach")
    page.wait_for_selector("#reach-sheet")
    handle = page.locator(".reach-handle[transform]")
    quiet(page)
    at = handle.bounding_box()
    held = Held(page, "**/stage/parts?*")
    page.mouse.move(at["x"] + 7, at["y"] + 7)
    page.mouse.down()
    page.mouse.move(at["x"] - 200, at["y"] + 100, steps=6)
    page.mouse.up()
    held.wait(lambda: held.first is not None)
    page.wait_for_timeout(200)
    left = handle.bounding_box()
    assert left["x"] == pytest.approx(at["x"] - 207, abs=2)
    held.comes()
    assert handle.bounding_box() == pytest.approx(left, abs=1)
    page.click("#undo")
    until(page, lambda: handle.bounding_box() == pytest.approx(at, abs=1), "the reach never went back")


def test_a_way_is_seen_as_it_was_drawn_until_the_panels_show_it(stage_room):
    page = stage_room
    choose(page, "moth-one")
    page.click("#new-way")
    page.wait_for_selector(".way-point")
    choose(page, "way-of-moth-one")
    assert page.locator(".way-point").count() == 4
    page.click("#draw-way")
    stage = page.locator("#stage").bounding_box()
    for x, y in ((0.2, 0.3), (0.5, 0.6)):
        page.mouse.click(stage["x"] + stage["width"] * x, stage["y"] + stage["height"] * y)
    draw_anew(page, "#draw-way")
    assert page.locator(".way-point").count() == 2  # what is being drawn stays, too
    held = Held(page, "**/stage/parts?*")
    page.keyboard.press("Enter")
    held.wait(lambda: held.first is not None)
    page.wait_for_timeout(200)
    assert page.locator(".way-point").count() == 2
    held.comes()
    assert page.locator(".way-point").count() == 2


def test_a_bake_that_is_answered_late_keeps_no_edit_from_being_stored(stage_room):
    choose(stage_room, "moth-one")
    drive(stage_room, "moth-one:scale_x")
    held = Held(stage_room, "**/bake")
    stage_room.click("#bake")
    held.wait(lambda: held.first is not None)
    for value in (20, 30):
        number(stage_room, "#own-x", value)
        stage_room.wait_for_timeout(300)
    held.comes(rest_ms=60)
    number(stage_room, "#own-y", 40)
    wait(stage_room, f"{UNDO} === 'Undo: Set the down of Moth one'")
    values = stored(stage_room, "stage/parts?part=moth-one", "[data-part-json]")["values"]
    assert (values["x"], values["y"]) == (30, 40)


def test_what_is_done_before_a_stage_of_another_kind_is_shown_is_stored(stage_room):
    stage_room.expect_console("GPU stall")
    held = Held(stage_room, "**/stage/new/3d")
    stage_room.select_option("#new-stage", "3d")
    held.wait(lambda: held.first is not None)
    stage_room.evaluate("document.activeElement.blur()")
    for _ in range(3):
        stage_room.press("body", "m")
        stage_room.press("body", "ArrowRight")
    held.comes()
    stage_room.wait_for_selector("#stage[data-kind='3d'] canvas")
    wait(stage_room, "script('project').then((m) => m.project.status.markers.length === 3)")


def test_undo_that_is_pressed_more_often_than_there_are_edits_goes_back_to_the_first(stage_room):
    choose(stage_room, "moth-one")
    number(stage_room, "#own-x", 20)
    wait(stage_room, f"{UNDO}.startsWith('Undo: Set')")
    held = Held(stage_room, "**/undo")
    stage_room.click("#find-part")
    stage_room.evaluate("document.activeElement.blur()")
    for _ in range(6):
        stage_room.press("body", "Control+z")
    held.wait(lambda: held.first is not None)
    held.comes()
    wait(stage_room, f"{UNDO} === 'Nothing to undo'")
    assert not stage_room.is_visible("#notice")


@pytest.fixture
def sound(page):
    """The Sound room of two tones one after the other, in the second."""
    tones = np.concatenate([sine(500, seconds=1, rate_hz=44_100), sine(5000, seconds=2, rate_hz=44_100)])
    open_sound(page, wav(tones, rate_hz=44_100), room="sound")
    page.wait_for_selector("#bands")
    idle(page)
    page.evaluate("script('transport').then((m) => m.transport.seek(60))")
    return page


def test_the_sound_room_shows_the_level_that_was_set_last(sound):
    level = "document.querySelector('#level-here').textContent"
    draw_band(sound, 40, 900)
    wait(sound, f"{level} === 'silent' || Number({level}) < -40")
    sound.fill("#reading-high_hz", "9000")
    sound.press("#reading-high_hz", "Enter")
    wait(sound, f"Number({level}) > -20")
    undone_and_redone(sound, "**/sound/shown*")
    assert float(sound.evaluate(level)) > -20


MARKERS = {"name": "Markers.csv", "mimeType": "text/csv", "buffer": b"name,time_s\nBridge,1.5\n"}
N_MARKERS = "document.querySelectorAll('[data-go]').length"


def test_an_edit_that_is_made_while_a_file_comes_in_is_stored_on_it(sound):
    sound.expect_console("409")
    held = Held(sound, "**/p/*/markers?*")
    sound.set_input_files("#marker-file", MARKERS)
    held.wait(lambda: held.first is not None)
    sound.press("body", "m")
    wait(sound, f"{N_MARKERS} === 2")
    held.comes()
    assert not sound.is_visible("#notice")
    sound.click("#undo")
    wait(sound, f"{N_MARKERS} === 1")


def test_undo_takes_back_no_file_that_was_not_seen_yet(sound):
    sound.expect_console("409")
    sound.press("body", "m")
    wait(sound, f"{N_MARKERS} === 1")
    held = Held(sound, "**/p/*/markers?*")
    sound.set_input_files("#marker-file", MARKERS)
    held.wait(lambda: held.first is not None)
    sound.press("body", "Control+z")
    sound.wait_for_selector("#notice:not([hidden])")
    held.comes()
    assert sound.evaluate(N_MARKERS) == 2


def test_a_file_whose_answer_comes_late_keeps_no_edit_from_being_stored(sound):
    held = Held(sound, "**/p/*/markers?*")
    sound.set_input_files("#marker-file", MARKERS)
    held.wait(lambda: held.first is not None)
    sound.evaluate("window.dispatchEvent(new Event('focus'))")  # how the project stands is asked for by something else
    sound.wait_for_selector("[data-go]", state="attached")
    sound.press("body", "m")
    wait(sound, f"{N_MARKERS} === 2")
    held.comes()
    sound.press("body", "ArrowRight")
    sound.press("body", "m")
    wait(sound, f"{N_MARKERS} === 3")


def test_the_sound_that_is_heard_is_the_one_that_was_switched_on_last(sound):
    heard = "document.getElementById('heard').dataset.url"
    whole = sound.evaluate(heard)
    sound.click("[data-switch='heard']")
    wait(sound, f"{heard} !== '{whole}'")
    undone_and_redone(sound, "**/heard")
    assert sound.evaluate(heard) != whole

"""Poses on the Stage, as a person stores, blends, takes and drives them."""

from tests.journeys.conftest import axe, stored, wait
from tests.journeys.test_stage_room import drive
from tests.journeys.test_ways import UNDO, choose


def number(page, field, value):
    page.fill(field, str(value))
    page.press(field, "Enter")


def poses(page):
    return stored(page, "stage/parts?part=poses-of-moth-one", "[data-part-json]")["shape"]["params"]


SCALE = "document.querySelector('#stage-moth-one--scale').getAttribute('transform')"


def test_a_wing_flaps_between_two_stored_poses(stage_room):
    page = stage_room
    choose(page, "moth-one")
    page.click("#store-pose")
    page.wait_for_selector("#poses-sheet")
    assert "store the next pose" in page.inner_text("#poses-sheet")
    choose(page, "moth-one")
    number(page, "#own-scale_x", 0.2)
    wait(page, f"{UNDO} === 'Undo: Set the width of Moth one'")
    page.click("#its-poses")
    page.wait_for_selector("#next-pose")
    page.click("#next-pose")
    wait(page, f"{UNDO} === 'Undo: Store a pose in Poses of Moth one'")
    wait(page, f"{SCALE} === 'scale(1 1)'")
    wait(page, "document.querySelectorAll('.pose-picture').length === 2")
    wait(page, "[...document.querySelectorAll('.pose-picture')].every((one) => one.complete && one.naturalWidth > 0)")
    knob = page.locator("input[data-try$=':blend']").bounding_box()
    y = knob["y"] + knob["height"] / 2
    page.mouse.move(knob["x"] + 8, y)
    page.mouse.down()
    page.mouse.move(knob["x"] + knob["width"] + 30, y, steps=5)
    wait(page, f"{SCALE}.startsWith('scale(0.2')")
    page.mouse.up()
    wait(page, f"{SCALE} === 'scale(1 1)'")
    axe(page)
    page.click("[data-take-pose='1']")
    wait(page, "document.querySelector('#posing').checked")
    wait(page, f"{SCALE}.startsWith('scale(0.2')")
    number(page, "#pose-2-name", "Closed")
    wait(page, "document.querySelector('#undo').title.startsWith('Undo: Change')")
    choose(page, "moth-one")
    number(page, "#own-scale_x", 0.4)
    wait(page, f"{SCALE}.startsWith('scale(0.4')")
    page.click("#its-poses")
    page.click("[data-update-pose='1']")
    wait(page, f"{UNDO} === 'Undo: Update Closed'")
    page.click("#posing")
    wait(page, f"{SCALE} === 'scale(1 1)'")
    drive(page, "poses-of-moth-one:blend")
    page.wait_for_selector("[data-running='poses-of-moth-one:blend']")
    stored_poses = poses(page)["poses"]
    assert [(pose["name"], pose["values"]["moth-one"]["scale_x"]) for pose in stored_poses] == [
        ("Pose 1", 1),
        ("Closed", 0.4),
    ]


def test_several_parts_are_posed_together(stage_room):
    page = stage_room
    choose(page, "moth-one")
    page.fill("#find-part", "moth")
    page.click(".tree-row[data-part='moth-two']", modifiers=["Shift"])
    page.wait_for_selector("#several-line", state="attached")
    page.click("#store-pose")
    page.wait_for_selector("#poses-sheet")
    assert "2 parts, 1 pose" in " ".join(page.inner_text("#poses-sheet").split())

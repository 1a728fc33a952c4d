"""Many pieces on the Stage, and dials, as a person makes, orders, moves and hands them off."""

import json
import time

import pytest
from tests.journeys.conftest import axe, open_stage, stored, wait
from tests.journeys.test_stage_room import drive
from tests.journeys.test_whole_way import download

from fern_tide.core.scene.gltf.reading import read_gltf

UNDO = "document.querySelector('#undo').title"
LINE = "[...document.querySelector('.order-line').points].map(({ x, y }) => [x, y])"


@pytest.fixture
def room(stage_room):
    stage_room.expect_console("GPU stall")
    stage_room.select_option("#new-stage", "3d")
    stage_room.wait_for_selector("#stage canvas")
    wait(stage_room, "document.querySelectorAll('.tree-row').length === 2")
    stage_room.select_option("#add-part", "array_3d")
    stage_room.wait_for_selector("[data-part-json='array']", state="attached")
    wait(stage_room, f"{LINE}.length === 12")
    return stage_room


def number(page, field, value):
    page.fill(field, str(value))
    page.press(field, "Enter")


def part(page, name="array"):
    return stored(page, f"stage/parts?part={name}", "[data-part-json]")


def laid_out(page, layout, count):
    if page.input_value("#array-layout") != layout:
        page.select_option("#array-layout", layout)
        wait(page, f"{UNDO} === 'Undo: Change Array'")
    number(page, "#layout-count", count)
    wait(page, f"{LINE}.length === {count}")


def test_pieces_are_put_in_order_by_hand_on_the_stage(room):
    laid_out(room, "line", 5)
    room.click("#frame-part")
    room.wait_for_timeout(400)
    places = room.evaluate(LINE)
    room.click("#array-order-by_hand")
    room.wait_for_selector("#pick-pieces")
    room.click("#pick-pieces")
    stage = room.locator("#stage").bounding_box()
    for piece in (3, 1):
        x, y = places[piece]
        room.mouse.click(stage["x"] + x, stage["y"] + y)
        room.wait_for_selector(f"#array-sheet:has-text('{1 if piece == 3 else 2} picked')")
    assert room.get_attribute("#pick-pieces", "aria-pressed") == "true"
    assert part(room)["shape"]["params"]["order"]["params"]["picked"] == [3, 1]
    wait(room, f"Math.hypot({LINE}[0][0] - {places[3][0]}, {LINE}[0][1] - {places[3][1]}) < 3")
    (ax, ay), (bx, by) = places[4], places[0]
    room.mouse.move(stage["x"] + ax, stage["y"] + ay)  # a brush over all the rest
    room.mouse.down()
    room.mouse.move(stage["x"] + bx, stage["y"] + by, steps=40)
    room.mouse.up()
    room.wait_for_selector("#array-sheet:has-text('5 picked')")
    assert part(room)["shape"]["params"]["order"]["params"]["picked"] == [3, 1, 4, 2, 0]
    room.press("body", "Escape")
    assert room.get_attribute("#pick-pieces", "aria-pressed") == "false"
    room.click("#forget-picked")
    room.wait_for_selector("#array-sheet:has-text('0 picked')")


def test_a_reach_is_dragged_by_its_middle_and_comes_back_with_undo(room):
    room.click("#add-reach")
    room.wait_for_selector("[data-reach='reach1']", state="attached")
    room.wait_for_selector("#own-reach1_outer")
    at = room.locator("[data-reach='reach1']").bounding_box()
    x, y = at["x"] + at["width"] / 2, at["y"] + at["height"] / 2
    room.mouse.move(x, y)
    room.mouse.down()
    room.mouse.move(x + 60, y - 30, steps=5)
    room.mouse.up()
    wait(room, f"{UNDO} === 'Undo: Move reach 1'")
    values = part(room)["values"]
    assert values["reach1_x"] > 0.2 and values["reach1_y"] > 0.1
    place = "document.querySelector(\"[data-reach='reach1']\").getBoundingClientRect()"
    wait(room, f"Math.abs({place}.x - {at['x'] + 60}) < 3 && Math.abs({place}.y - {at['y'] - 30}) < 3")
    room.press("body", "Control+z")
    wait(room, "document.querySelector('#redo').title === 'Redo: Move reach 1'")
    assert "reach1_x" not in part(room)["values"]
    room.select_option("#reach-1", "plane")
    wait(room, f"{UNDO} === 'Undo: Change Array'")
    room.click("[aria-label='Remove reach 1']")
    room.wait_for_selector("text=All pieces move: none is out of reach.")


def test_a_ring_of_pieces_is_driven_seen_and_written_out(room):
    laid_out(room, "ring", 8)
    room.click("[data-drive-it='array:piece_scale_y']")
    room.wait_for_selector("[data-bench]", timeout=60_000)
    assert axe(room) == []
    shown = {}
    for frame in (0, 7, 12, 29):
        room.evaluate(f"script('transport').then((m) => m.transport.seek({frame}))")
        room.wait_for_timeout(300)
        height = room.inner_text("[data-running='array:piece_scale_y']")
        shown[height] = room.locator("#stage canvas").screenshot()
    assert len(shown) > 1 and len(set(shown.values())) == len(shown)  # another height is another picture
    room.click("#rooms >> text=Hand-off")
    assert "up to 24 parts" in room.inner_text("#pieces-size")
    room.click("#write-gltf")
    gltf = read_gltf(download(room, "#download-gltf"))
    (motion,) = gltf.json["animations"]
    assert len(motion["channels"]) == 8 and {channel["target"]["path"] for channel in motion["channels"]} == {"scale"}
    open_stage(room)


def test_a_layout_with_other_sizes_lets_go_of_what_drove_the_old_ones(room):
    room.click("[data-drive-it='array:gap']")
    room.wait_for_selector("[data-bench]", timeout=60_000)
    room.select_option("#array-layout", "ball")
    wait(room, "document.querySelector('#own-radius') !== null")
    assert room.locator("[data-bench]").count() == 0
    room.press("body", "Control+z")
    room.wait_for_selector("[data-bench]")
    assert json.dumps(part(room)["shape"]["params"]["layout"]["id"]) == '"line"'


def test_a_part_becomes_an_array_where_it_stands(room):
    room.select_option("#add-part", "bell_jar")
    room.wait_for_selector("[data-part-json='bell-jar']", state="attached")
    number(room, "#own-x", 0.7)
    wait(room, f"{UNDO}.startsWith('Undo: Set the across')")
    room.click("#make-array")
    room.wait_for_selector("[data-part-json='array-of-bell-jar']", state="attached")
    array, jar = part(room, "array-of-bell-jar"), part(room, "bell-jar")
    assert array["values"]["x"] == 0.7 and "x" not in jar["values"] and jar["parent"] == array["id"]
    assert array["values"]["gap"] > 0.1


def test_pieces_of_a_drawing_are_ordered_by_hand_pulled_by_a_reach_and_written_out(stage_room):
    room = stage_room
    room.select_option("#add-part", "array")
    room.wait_for_selector("[data-part-json='array']", state="attached")
    wait(room, f"{LINE}.length === 12")
    laid_out(room, "line", 6)
    places = room.evaluate(LINE)
    assert max(y for _, y in places) - min(y for _, y in places) < 1 and places[0][0] < places[5][0] - 40
    room.click("#array-order-by_hand")
    room.click("#pick-pieces")
    stage = room.locator("#stage").bounding_box()
    room.mouse.click(stage["x"] + places[4][0], stage["y"] + places[4][1])
    room.wait_for_selector("#array-sheet:has-text('1 picked')")
    wait(room, f"Math.hypot({LINE}[0][0] - {places[4][0]}, {LINE}[0][1] - {places[4][1]}) < 3")
    room.press("body", "Escape")
    room.click("#add-reach")
    room.wait_for_selector("[data-reach='reach1']", state="attached")
    at = room.locator("[data-reach='reach1']").bounding_box()
    x, y = at["x"] + at["width"] / 2, at["y"] + at["height"] / 2
    room.mouse.move(x, y)
    room.mouse.down()
    room.mouse.move(x + 50, y - 20, steps=4)
    room.mouse.up()
    wait(room, f"{UNDO} === 'Undo: Move reach 1'")
    assert part(room)["values"]["reach1_x"] > 40 and part(room)["values"]["reach1_y"] < -10
    room.click("[data-drive-it='array:piece_y']")
    room.wait_for_selector("[data-bench]", timeout=60_000)
    assert axe(room) == []
    room.click("#rooms >> text=Hand-off")
    room.click("#write-svg")
    drawing = download(room, "#download-svg").decode()
    assert drawing.count("array-6") >= 1 and "<use" not in drawing


def test_a_dial_of_ones_own_is_named_driven_and_written_as_a_table(stage_room):
    room = stage_room
    room.select_option("#add-part", "dial")
    room.wait_for_selector("[data-part-json='dial']", state="attached")
    for field, value in (("name", "Fan"), ("unit", "rpm"), ("high", "1200")):
        room.fill(f"#number-1-{field}", value)
        room.press(f"#number-1-{field}", "Enter")
        wait(room, f"document.querySelector('#number-1-{field}').value === '{value}'")
        room.wait_for_timeout(300)
    room.click("#add-number")
    room.wait_for_selector("#number-2-name")
    drive(room, "dial:number_1")
    room.wait_for_selector("[data-bench]", timeout=60_000)
    assert axe(room) == []
    room.click("#rooms >> text=Hand-off")
    room.click("#write-csv")
    head = download(room, "#download-csv").decode().splitlines()[0]
    assert "dial:number_1 [rpm]" in head
    assert "leaves out 1, which CSV and JSON carry" in room.inner_text("#parts")


def test_an_order_is_tried_by_pointing_at_it_and_forgotten_when_the_hand_goes_on(room):
    laid_out(room, "line", 6)
    own = room.evaluate(LINE)
    room.hover("#array-order-shuffled")
    wait(room, f"JSON.stringify({LINE}) !== {json.dumps(json.dumps(own, separators=(',', ':')))}")
    tried = room.evaluate(LINE)
    assert sorted(map(tuple, tried)) == sorted(map(tuple, own)), "the same pieces, one after the other otherwise"
    room.hover("#array-layout")
    wait(room, f"JSON.stringify({LINE}) === {json.dumps(json.dumps(own, separators=(',', ':')))}")
    assert part(room)["shape"]["params"]["order"]["id"] == "tree"
    room.focus("#array-order-middle")
    wait(room, f"JSON.stringify({LINE}) !== {json.dumps(json.dumps(own, separators=(',', ':')))}")


def test_parts_as_they_stand_go_by_a_reach_that_the_hand_moves(demo):
    page = demo
    open_stage(page)
    page.select_option("#add-part", "reach")
    page.wait_for_selector("#reach-sheet")
    page.click("[data-goes-by]:has-text('Lamp glow')")
    page.wait_for_selector("[data-goes-by][aria-pressed='true']:has-text('Lamp glow')")
    assert axe(page) == []
    wait(page, "document.querySelectorAll('.reach-edge').length === 2")
    page.evaluate(
        """async () => {
            const { getPack } = await script('server');
            const { project } = await script('project');
            const { transport } = await script('transport');
            const { head, arrays } = await getPack(project.url('curves'));
            const [, glow] = Object.entries(head.curves).find(([name]) => name.startsWith('lamp-glow'));
            const values = [...arrays[glow.values]];
            transport.seek(values.indexOf(Math.max(...values)));
            window.drawing = () => document.querySelector('#stage svg:not(.over)').outerHTML;
        }"""
    )
    wait(page, "document.querySelector('.reach-handle[transform]')")
    page.wait_for_timeout(300)
    page.evaluate("window.near = drawing()")
    at = page.locator(".reach-handle[transform]").bounding_box()
    page.mouse.move(at["x"] + 7, at["y"] + 7)
    page.mouse.down()
    page.mouse.move(at["x"] - 320, at["y"] + 180, steps=6)
    wait(page, "drawing() !== near")  # it is seen before it is let go
    page.mouse.up()
    wait(page, f"{UNDO} === 'Undo: Move the reach'")
    assert part(page, "reach")["values"]["reach_x"] < 500
    wait(page, "drawing() !== near")
    page.press("body", "Control+z")
    wait(page, "drawing() === near")


def answered_late(route):
    """An answer that was true when it was given, and comes when another edit was made already."""
    answer = route.fetch()
    time.sleep(0.4)
    route.fulfill(response=answer)


def asked_late(route):
    """An answer that is newer than what else came with it."""
    time.sleep(0.4)
    route.continue_()


def laid_out_quickly(room, layouts):
    for layout in layouts:
        room.select_option("#array-layout", layout)
        room.wait_for_timeout(150)
    stored(room, "stage/parts?part=array", "[data-part-json]")
    room.wait_for_timeout(2500)
    room.unroute_all(behavior="wait")


@pytest.mark.parametrize("late", [answered_late, asked_late])
def test_many_pieces_that_are_laid_out_otherwise_stand_somewhere_at_every_moment(room, late):
    """No number is none, however late and old what the page hears is; in the end it shows the newest."""
    laid_out(room, "line", 30)
    line = f"JSON.stringify({LINE})"
    for answer in ("stage/arrays", "curves", "stage/scene.glb"):
        room.route(f"**/{answer}*", late)
        laid_out_quickly(room, ("faces", "grid", "ring", "spiral"))
        shown = room.evaluate(line)
        room.click("#undo")
        wait(room, f"{line} !== '{shown}'")
        room.click("#redo")
        wait(room, f"{line} === '{shown}'")


@pytest.mark.parametrize("late", [answered_late, asked_late])
def test_pieces_of_a_drawing_that_is_older_or_newer_are_waited_for(stage_room, late):
    stage_room.select_option("#add-part", "array")
    wait(stage_room, f"{LINE}.length === 12")
    for answer in ("stage/arrays", "stage/drawing"):
        stage_room.route(f"**/{answer}*", late)
        laid_out_quickly(stage_room, ("line", "spiral", "line", "grid"))
        pieces = "Number(document.querySelector('#array-sheet h3 .quiet').textContent.split(' ')[0])"
        assert stage_room.evaluate(pieces) > 12
        wait(stage_room, f"{LINE}.length === {pieces}")

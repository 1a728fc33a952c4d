"""The Stage under the hand: drawn outlines, looking about, the tree, what depends on what, and files."""

import json

import numpy as np
import pytest
from tests.gltf import GLB
from tests.journeys.conftest import UNTOUCHED, stored, wait
from tests.journeys.test_stage_room import SPRIG, bring_in, choose, drive, photo

UNDO = "document.querySelector('#undo').title"


@pytest.fixture
def room(stage_room):
    return stage_room


def part_json(page, part):
    """A part as the server has it now."""
    return stored(page, f"stage/parts?part={part}", f"[data-part-json='{part}']")


def draw_on_stage(page, points):
    """Draw through points that are shares of the stage's picture; gives them in the scene's pixels."""
    page.click("#frame-all")
    page.click("#draw-outline")
    page.wait_for_selector("#draw-outline[aria-pressed='true']")
    box = page.locator("#stage svg:not(.over)").bounding_box()
    matrix = page.evaluate(
        "(({ a, d, e, f }) => [a, d, e, f])(document.querySelector('#stage svg:not(.over)').getScreenCTM())"
    )
    places = [(box["x"] + x * box["width"], box["y"] + y * box["height"]) for x, y in points]
    page.mouse.move(*places[0])
    page.mouse.down()
    for place in places[1:]:
        page.mouse.move(*place)
    page.mouse.up()
    a, d, e, f = matrix
    return [((x - e) / a, (y - f) / d) for x, y in places]


def corners(data):
    return [tuple(float(number) for number in pair.split()) for pair in data.strip("MZ").split("L")]


def view_box(page):
    return [float(word) for word in page.get_attribute("#stage svg:not(.over)", "viewBox").split()]


def test_a_path_is_drawn_on_the_stage_where_the_hand_was(room):
    room.select_option("#add-part", "path")
    room.wait_for_selector("[data-part-json='path-22']", state="attached")
    drawn = draw_on_stage(room, [(0.3, 0.3), (0.5, 0.4), (0.6, 0.7)])
    wait(room, f"{UNDO} === 'Undo: Change Path 22'")
    wait(room, "document.querySelector('#stage-path-22--own').getAttribute('d').split('L').length === 3")
    data = part_json(room, "path-22")["shape"]["params"]["data"]
    assert data.endswith("Z")  # a filled one is closed
    assert np.allclose(corners(data), drawn, atol=2.5)
    wait(room, "document.querySelector('#shape-data').value.endsWith('Z')")
    wait(room, "document.querySelector('#shape-data').value.split('L').length === 3")
    room.fill("#shape-data", "M10 10L60 10L60 60Z")
    room.press("#shape-data", "Enter")
    wait(room, "document.querySelector('#stage-path-22--own').getAttribute('d') === 'M10 10L60 10L60 60Z'")


def test_path_data_that_is_none_is_refused_and_the_path_stays(room):
    room.expect_console("422")
    room.select_option("#add-part", "path")
    room.wait_for_selector("[data-part-json='path-22']", state="attached")
    before = part_json(room, "path-22")
    room.fill("#shape-data", "<script>")
    room.press("#shape-data", "Enter")
    room.wait_for_selector(".said-beside")
    assert "Outline" in room.inner_text(".said-beside")
    wait(room, "document.querySelector('#shape-data').value.startsWith('M')")  # the page kept nothing
    assert part_json(room, "path-22") == before


def test_a_mask_is_drawn_where_the_picture_was_moved_to(room):
    bring_in(room, "pane.png", photo())
    room.wait_for_selector("[data-copy='middle']")
    move = "document.querySelector('#stage-pane--move').getAttribute('transform')"
    before = room.evaluate(move)
    room.fill("#own-x", "40")
    room.press("#own-x", "Enter")
    wait(room, f"{UNDO} === 'Undo: Set the across of pane'")
    wait(room, f"{move} !== '{before}'")
    drawn = draw_on_stage(room, [(0.4, 0.4), (0.6, 0.4), (0.5, 0.6)])
    wait(room, f"{UNDO} === 'Undo: Change pane'")
    params = part_json(room, "pane")["shape"]["params"]
    assert params["mask"] == "drawn"
    assert np.allclose(corners(params["outline"]), [(x - 40, y) for x, y in drawn], atol=1.5)
    room.wait_for_selector("#stage-pane--mask path", state="attached")


def test_the_stage_is_zoomed_about_the_pointer_panned_and_framed(room):
    whole = view_box(room)
    box = room.locator("#stage").bounding_box()
    room.mouse.move(box["x"] + box["width"] / 4, box["y"] + box["height"] / 2)
    room.mouse.wheel(0, -600)
    wait(room, f"document.querySelector('#stage svg:not(.over)').getAttribute('viewBox') !== '{whole}'")
    left, _, wide, tall = view_box(room)
    assert wide < 0.6 * whole[2] and wide / tall == pytest.approx(whole[2] / whole[3], rel=1e-3)
    assert left + wide / 4 == pytest.approx(whole[2] / 4, abs=0.02 * whole[2])  # what is under the pointer stays
    room.mouse.down()
    room.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2, steps=4)
    room.mouse.up()
    assert view_box(room)[0] < left - wide / 8
    room.press("body", "0")
    assert view_box(room) == whole
    choose(room, "lamp-bulb")
    room.press("body", "f")
    assert view_box(room)[2] < whole[2] / 3
    ground = "document.querySelector('#stage svg:not(.over) > rect').getAttribute('visibility')"
    room.click("#show-background")
    assert room.evaluate(ground) == "hidden" and room.get_attribute("#show-background", "aria-pressed") == "false"
    room.click("#show-background")
    assert room.evaluate(ground) == "visible"


def test_the_tree_is_walked_searched_and_rearranged(room):
    rows = "[...document.querySelectorAll('.tree-row')].map((row) => row.dataset.part)"
    choose(room, "moth-one")
    order = room.evaluate(rows)
    room.focus("[data-select='moth-one']")
    room.keyboard.press("ArrowDown")
    following = order[order.index("moth-one") + 1]
    room.wait_for_selector(f"[data-part-json='{following}']", state="attached")
    room.keyboard.press("ArrowUp")
    room.wait_for_selector("[data-part-json='moth-one']", state="attached")
    room.click("[data-arrange='1']")
    wait(room, f"{UNDO} === 'Undo: Move Moth one in the tree'")
    wait(room, f"JSON.stringify({rows}) !== {json.dumps(json.dumps(order, separators=(',', ':')))}")
    room.select_option("#part-parent", "lamp")
    wait(room, "document.querySelector('[data-part=\"moth-one\"]').getAttribute('aria-level') === '2'")
    assert part_json(room, "moth-one")["parent"] == "lamp"
    room.fill("#find-part", "frond")
    wait(room, f"{rows}.every((id) => id.includes('frond'))")


def test_a_part_that_others_depend_on_is_removed_only_when_that_is_said(room):
    room.expect_console("422")
    choose(room, "moth-one")
    room.click("[data-tie='turn']")
    room.select_option("#follow-source", "lamp:turn")
    wait(room, f"{UNDO} === 'Undo: Let the turn of Moth one follow the turn of Lamp'")
    room.wait_for_selector("#follow-late")
    room.fill("#follow-late", "4")
    room.press("#follow-late", "Enter")
    wait(room, "document.querySelector('#follow-late').defaultValue === '4'")
    choose(room, "lamp")
    room.click("#remove-part")
    wait(room, "document.querySelector('#notice-words').textContent.includes('the turn of Moth one')")
    assert room.locator(".tree-row[data-part='lamp']").count() == 1
    room.click("#notice-act >> text=Remove it with that")
    wait(room, "document.querySelector('.tree-row[data-part=\"lamp\"]') === null")
    room.click("#undo")
    wait(room, "document.querySelector('.tree-row[data-part=\"lamp\"]') !== null")


def test_a_driven_part_is_removed_with_its_mapping(room):
    room.expect_console("422")
    choose(room, "title")
    drive(room, "title:opacity")
    room.click("#remove-part")
    wait(room, "document.querySelector('#notice-words').textContent.includes('is moved by Title opacity')")
    room.click("#notice-act >> text=Remove it with that")
    wait(room, "document.querySelector('.tree-row[data-part=\"title\"]') === null")
    room.click("#rooms >> text=Bench")
    room.wait_for_selector("#sheet")
    assert room.locator(".lane[data-mapping]").count() == 0


def test_files_that_come_together_are_all_on_the_stage(room):
    files = [
        {"name": "sprig.svg", "mimeType": "image/svg+xml", "buffer": SPRIG},
        {"name": "pane.png", "mimeType": "image/png", "buffer": photo()},
    ]
    room.set_input_files("#scene-file", files)
    room.wait_for_selector("#notice:not([hidden])")
    assert "sprig.svg and 1 more" in room.inner_text("#notice-words")
    room.click("#notice-act >> text=Add it")
    wait(room, f"{UNDO} === 'Undo: Bring in sprig.svg and 1 more'")
    room.wait_for_selector("#stage-blade--own", state="attached")
    room.wait_for_selector("#stage-pane--own image", state="attached")
    room.wait_for_selector(".tree-row[aria-selected='true'] >> text=sprig")  # what came is chosen


def test_a_long_sending_is_cancelled_and_nothing_comes(room):
    room.expect_console("ERR_")
    room.route("**/stage/files**", lambda route: None)  # a server that never answers
    room.set_input_files("#scene-file", {"name": "sprig.svg", "mimeType": "image/svg+xml", "buffer": SPRIG})
    room.click("#notice-act >> text=Add it")
    room.wait_for_selector("#notice-act:has-text('Cancel')")
    room.click("#notice-act")
    wait(room, "document.querySelector('#notice').hidden")
    room.unroute("**/stage/files**")
    assert room.get_attribute("#undo", "title") in UNTOUCHED
    assert room.locator("[data-part='sprig']").count() == 0


def test_what_is_not_wanted_while_it_is_being_read_is_taken_back_and_can_come_after_all(room):
    rows = "".join(f'<circle id="drop-{n}" cx="{n % 100}" cy="{n // 100}" r="1"/>' for n in range(5000))
    large = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100">{rows}</svg>'.encode()
    room.set_input_files("#scene-file", {"name": "drops.svg", "mimeType": "image/svg+xml", "buffer": large})
    room.click("#notice-act >> text=Add it")
    room.wait_for_selector("#notice:has-text('Reading drops.svg') #notice-act:has-text('Cancel')")
    room.click("#notice-act")
    room.wait_for_selector("#notice:has-text('drops.svg was taken back')")
    assert room.get_attribute("#undo", "title") in UNTOUCHED
    assert room.locator("[data-part='drop-1']").count() == 0
    room.click("#notice-act >> text=Bring it in after all")
    wait(room, f"{UNDO} === 'Undo: Bring in drops.svg'")


def test_motion_that_a_file_came_with_runs_at_the_playheads_time_until_it_is_switched_off(room):
    spin = SPRIG.replace(
        b'fill="#1e6f8b"/>', b'fill="#1e6f8b"><animate attributeName="r" values="10;30" dur="2s"/></circle>'
    )
    bring_in(room, "sprig.svg", spin)
    radius = "document.querySelector('#stage-dew--own')?.r?.animVal.value"
    wait(room, f"{radius} === 10")
    for frame, wanted in ((15, 15), (45, 25)):
        room.evaluate(f"script('transport').then((m) => m.transport.seek({frame}))")
        wait(room, f"Math.abs({radius} - {wanted}) < 0.01")
        room.wait_for_timeout(300)
        assert abs(room.evaluate(radius) - wanted) < 0.01  # it stands while the playhead does
    choose(room, "dew")
    room.click("[data-drive-it='dew:radius']")  # what is driven wins over it, for as long as it is
    wait(room, "document.querySelectorAll('#stage-dew--own animate').length === 0")
    room.click("#undo")
    wait(room, f"Math.abs({radius} - 25) < 0.01")
    choose(room, "sprig")
    room.uncheck("#file-plays")
    wait(room, f"{UNDO} === 'Undo: Switch off the animations of sprig.svg'")
    wait(room, f"{radius} === 20")  # its own radius, as the file says without motion
    assert room.locator("#stage-dew--own animate").count() == 0


def test_a_3d_stage_is_looked_at_through_its_camera_in_draft_and_without_a_floor(room):
    room.expect_console("targetNames")
    room.set_input_files("#scene-file", {"name": "fern.glb", "mimeType": "model/gltf-binary", "buffer": GLB})
    room.click("#notice-act >> text=Replace the stage")
    room.wait_for_selector("#stage[data-kind='3d'] canvas")
    choose(room, "lens")
    room.click("#through-camera")
    wait(room, "document.querySelector('#through-camera').getAttribute('aria-pressed') === 'true'")
    room.click("#through-camera")
    wait(room, "document.querySelector('#through-camera').getAttribute('aria-pressed') === 'false'")
    draft = room.get_attribute("#draft", "aria-pressed")
    room.click("#draft")
    wait(room, f"document.querySelector('#draft').getAttribute('aria-pressed') !== '{draft}'")
    floor = room.get_attribute("#show-floor", "aria-pressed")
    room.click("#show-floor")
    wait(room, f"{UNDO} === 'Undo: Show or hide the floor'")
    wait(room, f"document.querySelector('#show-floor').getAttribute('aria-pressed') !== '{floor}'")
    choose(room, "frond")
    room.click("#keep-base")
    wait(room, f"{UNDO} === 'Undo: Put the anchor of Frond at its base'")
    assert part_json(room, "frond")["anchor"]["y"] == pytest.approx(0, abs=1e-6)


def test_what_is_left_behind_of_a_3d_stage_is_said(room):
    room.expect_console("422")
    room.select_option("#new-stage", "3d")
    room.wait_for_selector("#stage canvas")
    choose(room, "camera")
    drive(room, "camera:field_of_view")
    room.click("#bake")
    wait(room, "document.querySelector('#bake').textContent === 'All curves baked'")
    room.click("#rooms >> text=Hand-off")
    room.uncheck("[data-option='cameras']")
    room.click("#write-gltf")
    wait(room, "document.querySelector('#notice-words').textContent.includes('All that moves is left out')")
    room.check("[data-option='cameras']")
    room.click("#write-gltf")
    room.wait_for_selector("#download-gltf")

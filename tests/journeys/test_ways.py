"""Ways on the Stage, as a person draws, drags and drives them; and lengths as the browser measures them."""

import json

import numpy as np
import pytest
from tests.journeys.conftest import axe, stored, wait
from tests.journeys.test_stage_room import drive

from fern_tide.core.base.naming import Ids
from fern_tide.core.scene.drawing import draw, markup
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.scene import Part, Scene, SceneFile
from fern_tide.core.scene.svg.outline import path_curves
from fern_tide.core.scene.svg.parts import Sheet, parts_of
from fern_tide.core.scene.svg.reading import read_svg
from fern_tide.core.scene.way import of_curves

UNDO = "document.querySelector('#undo').title"
HEAD = "JSON.parse(document.querySelector('#way-head').textContent)"
PATHS = [
    "M10 80 C 40 10, 65 10, 95 80 S 150 150, 180 80",
    "M10 80 Q 52.5 10, 95 80 T 180 80 t 40 -30",
    "M 10 315 L 110 215 A 36 60 20 0 1 150.71 170.29 L 172.55 152.45 A 30 50 -45 0 1 215.1 109.9 L 315 10",
    "m 5 5 h 20 v -30 l 4 4 a 25 40 10 1 0 30 30 z",
    "M0 0 C 100 0 -50 0 60 0",
    "M3,4c1e1-5,2.5.5,40,40s-3-9,8,8",
]


def test_the_browser_measures_the_same_lengths_and_finds_the_same_points(page):
    script = """(paths) => paths.map((d) => {
      const path = document.createElementNS("http://www.w3.org/2000/svg", "path");
      path.setAttribute("d", d);
      const length = path.getTotalLength();
      const places = Array.from({ length: 21 }, (_, n) => path.getPointAtLength((n / 20) * length));
      return [length, places.map(({ x, y }) => [x, y])];
    })"""
    for data, (length, points) in zip(PATHS, page.evaluate(script, PATHS), strict=True):
        line = of_curves(path_curves(data))
        assert line.length == pytest.approx(length, rel=2e-3), data  # the browser flattens curves
        ours = line.points(np.linspace(0, 1, 21))[:2].T
        assert np.abs(ours - points).max() < 3e-3 * length, data


DRAWING = b"""<svg xmlns="http://www.w3.org/2000/svg" width="600" height="300" viewBox="10 20 200 150">
<g transform="translate(40 10) rotate(30) scale(1.5)"><rect id="moth" x="20" y="30" width="8" height="8"/></g></svg>"""


def test_an_element_of_a_drawing_is_seen_on_a_way_beside_it(page):
    file = SceneFile(id="f", name="moth.svg", media="1" * 64, kind="svg")
    sheet = Sheet(read_svg(DRAWING))
    ids = Ids()
    parts = parts_of(sheet, file, ids=ids, limit_to=(400, 400))
    moth = parts[-1]
    moved = parts[0].but(values={"x": 70.0, "y": -5.0, "turn": 20.0, "scale_x": 1.2})
    line = {"points": [{"x": 300, "y": 90}, {"x": 500, "y": 400}]}
    way = {"id": "way", "name": "Way", "shape": {"id": "way", "params": line}}
    for along in (0.0, 0.4, 1.0):
        riding = moth.but(ride={"way": "way"}, values={**moth.values, "along": along})
        rest = [riding if part is moth else part for part in parts[1:]]
        scene = Scene(name="S", width=960, height=540, files=(file,), parts=(moved, *rest, Part.model_validate(way)))
        media = SceneMedia(sheets={file.media: sheet})
        page.set_content(f"<body style='margin:0'>{markup(draw(scene.at_rest, media=media))}")
        page.evaluate("document.querySelector('svg').style.width = '960px'")
        box = page.locator("rect[x='20']").bounding_box()
        middle = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        assert middle == pytest.approx((300 + 200 * along, 90 + 310 * along), abs=0.05)


def quiet(page):
    page.wait_for_timeout(400)
    wait(page, "!document.querySelector('.htmx-request')")


def choose(page, part):
    page.fill("#find-part", part.replace("-", " "))
    page.click(f".tree-row[data-part='{part}']")
    page.wait_for_selector(f"[data-part-json='{part}']", state="attached")
    quiet(page)  # what was typed is looked for a moment later, and the panels are drawn anew then


def moth(page):
    return stored(page, "stage/parts?part=moth-one", "[data-part-json]")


def points(page):
    way = json.loads(page.locator("#way-head").text_content())
    return way["points"]


def drag(page, locator, dx, dy):
    box = locator.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + dx / 2, y + dy / 2, steps=3)
    page.mouse.move(x + dx, y + dy, steps=3)
    page.mouse.up()


@pytest.fixture
def riding(stage_room):
    choose(stage_room, "moth-one")
    stage_room.click("#new-way")
    wait(stage_room, f"{UNDO} === 'Undo: Let Moth one move along a way'")
    stage_room.wait_for_selector(".way-point")
    quiet(stage_room)
    return stage_room


def at(page):
    return page.evaluate("document.querySelector('#stage-moth-one--move').getAttribute('transform')")


def test_a_part_moves_along_a_new_way_that_is_dragged_bent_and_driven(riding):
    assert moth(riding)["ride"]["way"] == "way-of-moth-one" and riding.locator(".way-point").count() == 4
    before = points(riding)
    drag(riding, riding.locator(".way-point").nth(2), 40, 60)
    wait(riding, f"{HEAD}.points[2].x > {before[2]['x'] + 20} && {UNDO} === 'Undo: Change Way of Moth one'")
    after = points(riding)
    assert after[2]["x"] > before[2]["x"] + 20 and after[2]["y"] > before[2]["y"] + 20 and after[:2] == before[:2]
    drag(riding, riding.locator(".way-handle").nth(1), 0, 40)
    wait(riding, f"{HEAD}.points[1].handle !== null")
    stood = at(riding)
    drive(riding, "moth-one:along")
    riding.wait_for_selector("[data-running='moth-one:along']")
    wait(riding, "document.querySelector('[data-running=\"moth-one:along\"]').textContent !== ''")
    assert stood.startswith("translate(")
    axe(riding)


def test_trying_where_it_is_on_its_way_is_seen_and_goes_back(riding):
    stood = at(riding)
    knob = riding.locator("input[data-try='moth-one:along']").bounding_box()
    y = knob["y"] + knob["height"] / 2
    riding.mouse.move(knob["x"] + 8, y)
    riding.mouse.down()
    riding.mouse.move(knob["x"] + knob["width"] * 0.7, y, steps=5)
    wait(riding, f"document.querySelector('#stage-moth-one--move').getAttribute('transform') !== {json.dumps(stood)}")
    riding.mouse.up()
    wait(riding, f"document.querySelector('#stage-moth-one--move').getAttribute('transform') === {json.dumps(stood)}")


def test_a_way_is_drawn_point_by_point_and_undone(riding):
    choose(riding, "way-of-moth-one")
    riding.wait_for_selector("#draw-way")
    riding.click("#draw-way")
    stage = riding.locator("#stage").bounding_box()
    for x, y in ((0.2, 0.3), (0.5, 0.6), (0.8, 0.2)):
        riding.mouse.click(stage["x"] + stage["width"] * x, stage["y"] + stage["height"] * y)
    assert riding.locator(".way-point").count() == 3
    riding.keyboard.press("Enter")
    wait(riding, "document.querySelector('#way-sheet h3').textContent.includes('3 points')")
    drawn = points(riding)
    assert [round(point["x"] / 1920, 1) for point in drawn] == [0.2, 0.5, 0.8]
    riding.click("#undo")
    wait(riding, "document.querySelector('#way-sheet h3').textContent.includes('4 points')")
    riding.fill("#point-1-x", "500")
    riding.press("#point-1-x", "Enter")
    wait(riding, f"{HEAD}.points[0].x === 500")


def test_in_space_it_moves_along_a_ring(stage_room):
    stage_room.expect_console("GPU stall")
    stage_room.select_option("#new-stage", "3d")
    stage_room.wait_for_selector("#stage canvas")
    wait(stage_room, "document.querySelectorAll('.tree-row').length === 2")
    stage_room.select_option("#add-part", "box")
    stage_room.wait_for_selector("[data-part-json='box']", state="attached")
    stage_room.click("#new-way")
    stage_room.wait_for_selector(".way-point")
    assert stage_room.locator(".way-point").count() == 4
    before = points(stage_room)
    drag(stage_room, stage_room.locator(".way-point").nth(1), 30, -30)
    wait(stage_room, f"{HEAD}.points[1].y > {before[1]['y']} && {UNDO} === 'Undo: Change Way of Box'")
    stage_room.fill("#ride-leans", "20")
    stage_room.press("#ride-leans", "Enter")
    wait(stage_room, f"{UNDO} === 'Undo: Change Box'")


def test_a_solid_is_bent_by_a_shaper_and_straight_again_without_it(stage_room):
    stage_room.expect_console("GPU stall")
    stage_room.select_option("#new-stage", "3d")
    stage_room.wait_for_selector("#stage canvas")
    wait(stage_room, "document.querySelectorAll('.tree-row').length === 2")
    stage_room.select_option("#add-part", "box")
    stage_room.wait_for_selector("[data-part-json='box']", state="attached")
    stage_room.select_option("#add-shaper", "bend")
    stage_room.wait_for_selector("#own-shaper1_amount")
    corners = "document.querySelectorAll('#stage polygon:not(.shaper-plane)')"
    outline = f"[...{corners}].map((one) => one.getAttribute('points')).join()"
    straight = stage_room.evaluate(outline)
    stage_room.fill("#own-shaper1_amount", "80")
    stage_room.press("#own-shaper1_amount", "Enter")
    wait(stage_room, f"{UNDO} === 'Undo: Set the bend of Box'")
    wait(stage_room, f"({outline}) !== {json.dumps(straight)}")
    assert "18 morph targets" in stage_room.inner_text("#shapers-sheet")
    axe(stage_room)
    stage_room.click("[aria-label='Remove bend']")
    wait(stage_room, "!document.querySelector('#own-shaper1_amount')")
    wait(stage_room, f"({outline}) === {json.dumps(straight)}")

"""Artwork as it comes: flat drawings of thousands of paths, models that stand elsewhere."""

import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from tests.conftest import drums, wav
from tests.core.scene.test_basis import TILES, tiled
from tests.gltf import GLB, document, glb
from tests.journeys.conftest import ask, open_potting_bench, stored, wait

FLAT = "".join(
    f'<path id="leaf-{n}" d="M{20 * (n % 80)} {12 * (n // 80)}q8 -6 16 0t-16 6z" fill="#{40 + n % 50:02x}6b3a"/>'
    for n in range(4000)
)
OVER = '<rect id="haze" x="600" y="200" width="300" height="200" fill="#ffffff" fill-opacity="0.3"/>'


def test_a_flat_drawing_of_four_thousand_paths_is_scrolled_and_picked_through(page):
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1600 600">{FLAT}{OVER}</svg>'
    drop(page, "leaves.svg", "image/svg+xml", svg.encode())
    page.wait_for_selector("[data-select='leaf-1']")
    assert page.locator(".tree-row").count() == 200
    page.click("#only-larger")  # each leaf covers a few thousandths of a percent
    wait(page, "[...document.querySelectorAll('.tree-row')].map((row) => row.dataset.part).join() === 'leaves,haze'")
    page.click("#only-larger")
    wait(page, "document.querySelectorAll('.tree-row').length === 200")
    page.evaluate("document.querySelector('#tree').scrollTop = 50000")
    wait(page, "document.querySelector('[data-select=\"leaf-1860\"]') !== null")
    top = page.evaluate("document.querySelector('#tree').scrollTop")
    page.click("[data-select='leaf-1860']")
    wait(page, "document.querySelector('#part-name')?.value === 'leaf-1860'")
    assert abs(page.evaluate("document.querySelector('#tree').scrollTop") - top) < 300, "the tree stays where it is"
    box = page.locator("#stage-leaf-2037--own").bounding_box()  # under the haze
    at = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.click(*at)
    wait(page, "document.querySelector('#part-name')?.value === 'haze'")
    wait(page, "document.querySelector('.tree-row[aria-selected=true]')?.dataset.part === 'haze'")
    page.mouse.click(*at)
    wait(page, "document.querySelector('#part-name')?.value === 'leaf-2037'")
    wait(page, "document.querySelector('.tree-row[aria-selected=true]')?.dataset.part === 'leaf-2037'")
    seen = page.locator(".tree-row[aria-selected='true']").bounding_box()
    tree = page.locator("#tree").bounding_box()
    assert tree["y"] <= seen["y"] <= tree["y"] + tree["height"]
    page.evaluate("document.querySelector('#tree').scrollTop = 0")
    page.wait_for_selector("[data-select='leaf-3']")
    page.click("[data-select='leaf-3']", modifiers=["Shift"])  # the other end is far away
    page.wait_for_selector("#several-title:has-text('2000 leaves')")


def test_a_model_that_stands_far_away_is_framed_when_it_comes(page):
    page.expect_console("GPU stall")
    plain, binary = document()
    page.expect_console("targetNames")
    plain["nodes"][0]["translation"] = [900.0, 40.0, -700.0]  # the camera and the light are not there
    drop(page, "far.glb", "model/gltf-binary", glb(plain, binary))
    page.wait_for_selector("#stage canvas")
    page.wait_for_selector("[data-select='frond']")
    page.click("[data-select='frond']")
    points = "document.querySelector('#stage .over polygon')?.getAttribute('points') ?? ''"
    wait(page, f"({points}).split(' ').length === 4")
    stage = page.locator("#stage").bounding_box()
    corners = [tuple(map(float, pair.split(","))) for pair in page.evaluate(points).split()]
    assert all(0 <= x <= stage["width"] and 0 <= y <= stage["height"] for x, y in corners)
    assert max(x for x, _ in corners) - min(x for x, _ in corners) > 40


def drop(page, name, kind, content):
    """Start a project on a scene, as the projects page does."""
    page.goto(
        ask(page, "/projects/scene", multipart={"file": {"name": name, "mimeType": kind, "buffer": content}})["url"]
    )


def looks(page):
    """The stage as it is seen, shape (height, width, 3), when it has come to rest."""
    page.wait_for_timeout(600)
    return np.asarray(Image.open(io.BytesIO(page.locator("#stage").screenshot())).convert("RGB"), dtype=float)


@pytest.fixture
def dark(page):
    """The Stage of a model that came without a light, filling the view."""
    page.expect_console("GPU stall")
    page.expect_console("targetNames")
    plain, binary = document()
    del plain["nodes"][2]["extensions"], plain["extensions"], plain["nodes"][3]["camera"], plain["cameras"]
    plain["extensionsUsed"].remove("KHR_lights_punctual")
    plain["materials"][0] = {"name": "Leaf green", "pbrMetallicRoughness": {"baseColorFactor": [0.5, 0.5, 0.5, 1]}}
    drop(page, "dark.glb", "model/gltf-binary", glb(plain, binary))
    page.wait_for_selector("#stage canvas")
    page.click("[data-select='frond']")
    wait(page, "document.querySelector('#part-name')?.value === 'Frond'")
    page.click("#frame-part")
    return page


@pytest.mark.parametrize("draft", ["true", "false"])
def test_a_model_without_a_light_is_seen_in_the_studio_light_which_a_lamp_does_not_put_out(dark, draft):
    if dark.get_attribute("#draft", "aria-pressed") != draft:
        dark.click("#draft")
    lit = looks(dark)
    dark.click("#studio-light summary")
    dark.fill("#light-strength", "0.15")
    dark.press("#light-strength", "Enter")
    wait(dark, "document.querySelector('#undo').title === 'Undo: Change the studio light'")
    dim = looks(dark)
    middle = (slice(lit.shape[0] // 3, lit.shape[0] // 2), slice(lit.shape[1] // 3, lit.shape[1] // 2))
    assert dim[middle].mean() < 0.8 * lit[middle].mean() and lit.max() > 120
    dark.select_option("#add-part", "point_light")
    wait(dark, "document.querySelector('#undo').title === 'Undo: Add Point light'")
    assert dark.inner_text("#studio-light summary") == "Light: studio"
    dark.uncheck("#light-on")
    wait(dark, "document.querySelector('#studio-light summary').textContent.trim() === 'Light: own'")


def test_floor_and_background_are_shown_and_hidden_at_once(dark):
    before = looks(dark)
    dark.click("#show-floor")
    wait(dark, "document.querySelector('#show-floor').getAttribute('aria-pressed') === 'false'")
    assert np.abs(looks(dark) - before).mean() > 0.2
    dark.click("#undo")
    wait(dark, "document.querySelector('#show-floor').getAttribute('aria-pressed') === 'true'")
    assert np.abs(looks(dark) - before).mean() < 0.02


@pytest.mark.parametrize("name", ["draco", "meshopt"])
def test_a_packed_model_is_seen_and_can_be_driven(page, name):
    page.expect_console("GPU stall")
    drop(page, f"{name}.glb", "model/gltf-binary", (Path(__file__).parents[1] / f"packed/{name}.glb").read_bytes())
    page.wait_for_selector("[data-select='bulb']")
    page.wait_for_selector("#stage canvas")
    page.click("[data-select='bulb']")
    wait(page, "document.querySelector('#part-name')?.value === 'Bulb'")
    page.click("#frame-part")
    stage = looks(page)
    middle = stage[
        stage.shape[0] // 2 - 20 : stage.shape[0] // 2 + 20, stage.shape[1] // 2 - 20 : stage.shape[1] // 2 + 20
    ]
    assert middle.mean(axis=(0, 1)) == pytest.approx([225, 210, 150], abs=40), "the bulb's own colour"


@pytest.mark.parametrize("kind", TILES)
def test_a_basis_texture_is_seen(page, kind):
    page.expect_console("GPU stall")
    drop(page, "tile.glb", "model/gltf-binary", glb(*tiled(TILES[kind])))
    page.wait_for_selector("#stage canvas")
    page.click("[data-select='tile']")
    page.click("#frame-part")
    stage = looks(page)
    down, across = (size // 2 for size in stage.shape[:2])
    quarters = [stage[down + y * 40, across + x * 40] for y in (-1, 1) for x in (-1, 1)]
    colours = [(220, 30, 30), (30, 200, 40), (40, 60, 220), (230, 220, 60)]  # as they were packed
    for shown, packed in zip(quarters, colours, strict=True):
        assert np.abs(np.array(shown[:3], dtype=float) - packed).max() < 50, (quarters, colours)


def together(page, name, kind, content):
    """Drop a scene and a song together: one action."""
    song = ("Drums.wav", "audio/wav", wav(drums(seconds=4.0), rate_hz=44_100))
    page.goto("/")
    page.set_input_files(
        "#file", [{"name": n, "mimeType": k, "buffer": c} for n, k, c in ((name, kind, content), song)]
    )
    page.wait_for_url("**/bench")
    page.wait_for_selector(".cut-row")


def test_the_middle_of_a_photo_pulses_in_five_actions(page):
    out = io.BytesIO()
    Image.effect_noise((60, 40), 60).convert("RGB").save(out, "PNG")
    together(page, "photo.png", "image/png", out.getvalue())  # one
    page.click("#rooms >> text=Stage")  # two
    page.wait_for_selector("[data-copy='middle']")
    page.click("[data-copy='middle']")  # three
    wait(page, "document.querySelector('#part-name')?.value === 'photo, middle'")
    part = page.get_attribute("[data-part-json]", "data-part-json")
    page.click("#suggest-parts")  # four
    page.click("#suggestions button >> nth=0")  # five
    page.wait_for_selector(f"[data-property^='{part}:'] .chip")
    sizes = set()
    for frame in range(0, 60, 4):
        page.evaluate(f"script('transport').then((m) => m.transport.seek({frame}))")
        page.wait_for_timeout(60)
        sizes.add(page.get_attribute(f"#stage-{part}--scale", "transform"))
    assert len(sizes) > 8, "the middle breathes"


def test_a_morph_target_follows_a_band_in_two_actions(page):
    page.expect_console("GPU stall")
    page.expect_console("targetNames")
    together(page, "fern.glb", "model/gltf-binary", GLB)  # one
    row = page.locator(".cut-row:has-text('opens to')").first
    assert "Band" in row.inner_text() and "Frond" in row.inner_text()
    mapping = row.get_attribute("data-proposed")
    page.click("#cut-keep")  # two
    page.wait_for_selector(f".lane[data-mapping='{mapping}']")
    target = stored(page, f"bench/sheet?mapping={mapping}", "[data-mapping-json]")["drives"][0]["target"]
    assert target["part"] == "frond" and target["property"].startswith("shape_")


def test_a_second_model_stands_beside_the_first_and_each_moves_as_a_whole(dark):
    dark.set_input_files("#scene-file", {"name": "two.glb", "mimeType": "model/gltf-binary", "buffer": GLB})
    dark.click("#notice-act >> text=Add it")
    dark.wait_for_selector("[data-part-json='two']", state="attached")  # what came is worked on next
    wait(dark, "document.querySelector('#stage .over polygon')?.getAttribute('visibility') === 'visible'")
    dark.click("#notice-close")
    before = looks(dark)
    dark.fill("#own-x", "0.4")
    dark.press("#own-x", "Enter")
    wait(dark, "document.querySelector('#undo').title === 'Undo: Set the across of two'")
    assert np.abs(looks(dark) - before).mean() > 0.5
    dark.click("#undo")
    wait(dark, "document.querySelector('#undo').title === 'Undo: Bring in two.glb'")
    assert np.abs(looks(dark) - before).mean() < 0.05


def test_an_array_of_a_model_s_part_is_seen_with_room_between_its_pieces(dark):
    dark.click("#make-array")
    dark.wait_for_selector("[data-part-json='array-of-frond']", state="attached")
    wait(dark, "document.querySelector('#array-sheet h3 .quiet').textContent.startsWith('12')")
    dark.click("#frame-part")
    seen = looks(dark)
    grey = (np.abs(seen - (172, 168, 158)).max(axis=2) < 25).sum(axis=0) > 2
    assert (np.diff(grey.astype(int)) == 1).sum() >= 8, "pieces with room between them"


def test_parts_in_space_are_chosen_by_a_box_and_their_order_is_shown(page):
    open_potting_bench(page)
    page.click("#rooms >> text=Stage")
    page.wait_for_selector("[data-select='cloche-1']")
    page.click("[data-select='cloche-1']")
    wait(page, "document.querySelector('#part-name')?.value === 'Cloche 1'")
    page.click("#choose-alike")
    page.wait_for_selector("#several-title:has-text('24 cloches')")
    wait(page, "document.querySelector('.order-line').getAttribute('points')?.split(' ').length === 24")
    page.keyboard.press("Escape")
    page.wait_for_selector("#part-name")
    page.click("#frame-all")
    page.wait_for_timeout(400)
    box = page.locator("#stage canvas").bounding_box()
    page.click("#box-parts")
    page.mouse.move(box["x"] + 1, box["y"] + 1)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] - 1, box["y"] + box["height"] - 1, steps=5)
    page.mouse.up()
    chosen = "[...document.querySelectorAll('.tree-row[aria-selected=true]')].map((row) => row.dataset.part)"
    wait(page, f"{chosen}.includes('lamp') && {chosen}.length > 2")
    assert "cloche-1" not in page.evaluate(chosen), "what lies in another that is chosen moves with that"


def without(*names):
    plain, binary = document()
    for name in names:
        plain.pop(name, None)
    return glb(plain, binary)


def named_oddly():
    plain, binary = document()
    for place, name in enumerate(("__proto__", "constructor", "a.b/c[0]~1", "")):
        plain["nodes"][place]["name"] = name
    plain["meshes"][0]["name"] = plain["materials"][0]["name"] = "toString"
    return glb(plain, binary)


@pytest.mark.parametrize(
    "content",
    [
        without("scene", "scenes"),
        without("scene"),
        named_oddly(),
        glb({"asset": {"version": "2.0"}}, b""),
        glb({"asset": {"version": "2.0"}, "scenes": [{}], "nodes": [{}, {"name": "Alone"}]}, b""),
    ],
    ids=["no scenes", "no first scene", "odd names", "nothing", "empty nodes"],
)
def test_an_odd_model_is_shown_and_raises_nothing(page, content):
    page.expect_console("GPU stall")
    page.expect_console("targetNames")  # there are two shapes, and one name
    drop(page, "odd.glb", "model/gltf-binary", content)
    page.wait_for_selector("#stage canvas")
    page.wait_for_timeout(600)


def test_numbers_that_are_none_do_not_reach_the_page(page):
    page.expect_console("GPU stall")
    drawing = (
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100" width="NaN" height="1e999">'
        '<rect id="r" width="NaN" height="1e999" x="abc" transform="rotate(NaN)" stroke-width="-" opacity="foo"/>'
        '<circle id="c" cx="50%" cy="Infinity" r="ten"/><path id="p" d="M0 0LNaN 5L9 9"/>'
        '<polygon id="q" points="1,2 x,4 5"/><text id="t" font-size="huge" x="1,,2">Hm</text>'
        '<rect id="good" width="20" height="10" x="5"/></svg>'
    )
    drop(page, "odd.svg", "image/svg+xml", drawing.encode())
    page.wait_for_selector("[data-select='good']")
    page.wait_for_timeout(500)

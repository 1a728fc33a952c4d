"""Curves under the hand: a stretch is touched up, keys are dragged, and the edit stays over every new bake."""

import zipfile

import pytest
from playwright.sync_api import Page
from tests.journeys.conftest import axe, wait

CURVE = "lamp-glow:opacity"


@pytest.fixture
def curve(demo: Page) -> Page:
    demo.press("body", "4")
    demo.wait_for_selector(f"[data-curve='{CURVE}']")
    demo.click(f"[data-curve='{CURVE}']")
    wait(demo, f"document.querySelector('#keys-plot')?.dataset.target === '{CURVE}'")
    wait(demo, "document.querySelector('#keys-words').textContent.includes('keys for')")
    demo.wait_for_selector("#keys-plot")
    return demo


def drag(page: Page, start, end, *, shift=False):
    box = page.locator("#keys-plot").bounding_box()
    (x, y), (u, v) = start, end
    at = [(box["x"] + a * box["width"], box["y"] + b * box["height"]) for a, b in ((x, y), (u, v))]
    page.mouse.move(*at[0])
    page.mouse.down()
    page.mouse.move((at[0][0] + at[1][0]) / 2, (at[0][1] + at[1][1]) / 2, steps=3)
    page.mouse.move(*at[1], steps=3)
    page.mouse.up()


def keys(page: Page) -> int:
    return int(page.inner_text("#keys-words").split()[0])


def touch_ups(page: Page) -> int:
    return page.locator("#touch-ups [data-touch-up]").count()


def test_an_edit_is_still_there_after_the_clean_up_changes_and_all_is_baked_anew(curve):
    drag(curve, (0.3, 0.5), (0.45, 0.5))
    assert "s" in curve.inner_text("#stretch-words") and curve.is_visible("[data-touch='hold']")
    curve.click("[data-touch='hold']")
    curve.wait_for_selector("#touch-ups [data-touch-up]")
    curve.click("#bake")
    wait(curve, "document.querySelector('#bake').textContent === 'All curves baked'")
    field = curve.locator("#touch-ups input[id$='-value']")
    curve.click("#touch-ups summary")
    field.fill("0.66")
    field.press("Enter")
    wait(curve, "document.querySelector('#touch-ups summary').textContent.includes('0.66')")
    curve.evaluate(
        """script("project").then(({ project }) => {
            const value = [{ id: "smooth", params: { width_ms: 900 } }];
            return project.edit({ kind: "set_field", owner: "envelope", id: "drip", path: "clean_up", value });
        })"""
    )
    curve.wait_for_selector("#touch-ups [data-touch-up]")
    curve.click("#bake")
    wait(curve, "document.querySelector('#bake').textContent === 'All curves baked'")
    wait(curve, "document.querySelector('#touch-ups').textContent.includes('the ground moved by')")
    curve.click("[data-compare]")
    curve.wait_for_timeout(300)
    assert axe(curve) == []
    curve.click("text=it is right")
    wait(curve, "!document.querySelector('#touch-ups').textContent.includes('the ground moved by')")
    assert "0.66" in curve.inner_text("#touch-ups summary"), "the edit is there still"


def test_keys_are_dragged_added_and_taken_out_by_hand(curve):
    box = curve.locator("#keys-plot").bounding_box()
    curve.mouse.move(box["x"] + 0.4 * box["width"], box["y"] + 60)
    for _ in range(8):
        curve.mouse.wheel(0, -300)
    curve.click("[data-hand='keys']")
    before = keys(curve)
    curve.mouse.dblclick(box["x"] + 0.5 * box["width"], box["y"] + 0.5 * box["height"])
    curve.wait_for_selector("#touch-ups [data-touch-up]")
    wait(curve, "!document.querySelector('#key-acts').hidden")
    frame = int(curve.input_value("#key-frame"))
    value = float(curve.input_value("#key-value"))
    curve.fill("#key-value", "0.5")
    curve.press("#key-value", "Enter")
    wait(curve, "Number(document.querySelector('#key-value').value) === 0.5")
    assert value != 0.5 and touch_ups(curve) == 1
    curve.focus("#keys-plot")
    curve.keyboard.press("Shift+ArrowRight")
    wait(curve, f"Number(document.querySelector('#key-frame').value) === {frame + 1}")
    curve.keyboard.press("Delete")
    wait(curve, "document.querySelector('#key-acts').hidden")
    wait(curve, f"Number(document.querySelector('#keys-words').textContent.split(' ')[0]) < {before + 3}")
    while touch_ups(curve):
        if curve.is_enabled("#undo"):
            curve.click("#undo")
        curve.wait_for_timeout(200)
    wait(curve, f"Number(document.querySelector('#keys-words').textContent.split(' ')[0]) === {before}")


def test_a_way_is_drawn_and_a_curve_is_as_keys_for_good_and_back(curve):
    curve.click("[data-hand='draw']")
    drag(curve, (0.5, 0.8), (0.6, 0.2))
    curve.wait_for_selector("#touch-ups [data-touch-up]")
    assert "keys by hand" in curve.inner_text("#touch-ups")
    curve.click("#for-good")
    curve.wait_for_selector("#not-for-good")
    assert "for good" in curve.inner_text("#touch-ups") and "Keys for good hide it" in curve.inner_text("#touch-ups")
    curve.click("#not-for-good")
    curve.wait_for_selector("#for-good")


def test_one_click_brings_a_late_curve_to_its_hits_and_a_finding_is_mended(curve):
    late = float(curve.inner_text("#median-lag"))
    assert late > 0 and curve.is_visible("#earlier")
    curve.click("#earlier")
    wait(curve, "Number(document.querySelector('#median-lag').textContent) === 0")
    curve.click("#undo")
    wait(curve, f"Number(document.querySelector('#median-lag').textContent) === {late:g}")
    curve.click("#bake")
    curve.wait_for_selector("text=Start at rest >> nth=0")
    curve.click("text=Start at rest >> nth=0")
    wait(curve, "document.querySelector('#touch-ups').textContent.includes('1 on other curves')")


def test_several_formats_go_out_as_one_zip(curve):
    curve.click("#show-write")
    for name in ("lottie", "csv", "otio"):
        curve.check(f"[data-batch][value='{name}']")
    with curve.expect_download() as got:
        curve.click("#write-batch")
    stem = "The Glasshouse Hour"
    endings = ("lottie.json", "csv", "otio")
    names = zipfile.ZipFile(got.value.path()).namelist()
    assert sorted(names) == sorted([*(f"{stem}.{ending}" for ending in endings), "manifest.json"])

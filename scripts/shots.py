"""Take the pictures of docs/screenshots from the demo data: `make shots`."""

import os
import re
import subprocess
import sys
import tempfile
from pathlib import Path
from shutil import which

from playwright.sync_api import Page, sync_playwright

from fern_tide.demo.project import MIX, demo_sounds

ROOT = Path(__file__).parent.parent
OUT = ROOT / "docs/screenshots"
CHROMIUM = which("chromium") or "/usr/bin/chromium-headless-shell"  # letters as people see them
FLAGS = ["--no-sandbox", "--disable-dev-shm-usage", "--mute-audio", "--hide-scrollbars", "--force-color-profile=srgb"]
QUIET = ["--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update"]


FURTHEST = """async () => {
    const { transport } = (await import(document.querySelector("script[type=module]").src)).transport;
    const running = document.querySelector("[data-running='lamp:turn_z']");
    const at = (frame) => (transport.seek(frame), parseFloat(running.textContent));
    const frames = Array.from({ length: 300 }, (_, place) => 450 + place);
    transport.seek(frames.reduce((best, frame) => (at(frame) > at(best) ? frame : best)));
}"""


LOUD = """async () => {
    const { transport } = (await import(document.querySelector("script[type=module]").src)).transport;
    transport.seek(415);
}"""


def settled(page: Page, selector: str) -> None:
    page.wait_for_selector(selector)
    page.evaluate("document.fonts.ready.then(() => true)")
    page.wait_for_timeout(900)


def shoot(page: Page, name: str) -> None:
    page.evaluate("document.getElementById('saved') && (document.getElementById('saved').textContent = 'Saved 21:04')")
    page.screenshot(path=OUT / f"{name}.png")
    print(f"docs/screenshots/{name}.png")


def take_reuse(page: Page, url: str) -> None:
    """Two versions side by side, the traces of steps, and the recipes."""
    page.goto(url)
    page.click("main li:first-child a >> nth=0")
    settled(page, "#plot")
    page.click("[data-act='keep-version']")
    page.wait_for_selector("[data-version='A']")
    for step in ("spring", "stairs"):
        page.click("#add-step")
        page.click(f"[data-pick='step'][data-id='{step}']")
        page.wait_for_selector("#drawer", state="hidden")
        page.wait_for_timeout(500)
    page.check("#show-traces")
    page.click("[data-act='keep-version']")
    page.wait_for_selector("[data-version='B']")
    page.select_option("#beside", "A")
    page.wait_for_selector("#stage-beside")
    page.click("[data-drawer='recipes']")
    settled(page, "[data-pick='recipe']")
    page.mouse.move(640, 790)
    page.wait_for_timeout(900)
    shoot(page, "bench-recipes")


def take(page: Page, url: str) -> None:
    page.goto(url)
    page.click("main li:first-child a >> nth=0")
    settled(page, "#plot")
    while page.evaluate("document.getElementById('work').childElementCount"):
        page.wait_for_timeout(300)
    page.wait_for_timeout(800)
    box = page.locator("#ribbon").bounding_box()
    page.mouse.click(box["x"] + box["width"] * 0.405, box["y"] + 40)
    page.mouse.move(640, 790)
    shoot(page, "bench")
    page.click("#bake")
    page.wait_for_timeout(600)
    page.click("#rooms >> text=Sound")
    settled(page, "#trace")
    while page.evaluate("document.getElementById('work').childElementCount"):
        page.wait_for_timeout(300)
    page.wait_for_timeout(900)
    page.mouse.move(640, 790)
    take_newer_stems(page)
    take_performed(page)
    page.click("[data-show-envelope='twelve-bands']")
    page.click("#suggest-bands")
    page.wait_for_selector("#suggested button")
    page.locator("#left").evaluate("left => (left.scrollTop = left.scrollHeight)")
    page.wait_for_timeout(900)
    page.mouse.move(640, 790)
    shoot(page, "sound-bank")
    page.click("#rooms >> text=Hand-off")
    settled(page, "#write-svg")
    page.click("#write-svg")
    page.wait_for_selector("#download-svg")
    page.mouse.move(640, 790)
    shoot(page, "hand-off")
    page.click("[data-curve='lamp-glow:opacity']")
    settled(page, "#keys-plot")
    for (left, right), kind in (((0.3, 0.45), "scale"), ((0.7, 0.8), "hold")):
        box = page.locator("#keys-plot").bounding_box()
        page.mouse.move(box["x"] + left * box["width"], box["y"] + 80)
        page.mouse.down()
        page.mouse.move(box["x"] + right * box["width"], box["y"] + 80, steps=4)
        page.mouse.up()
        page.click(f"[data-touch='{kind}']")
        page.wait_for_selector(f"[data-touch-up] >> text={'scaled' if kind == 'scale' else 'held'}")
    page.wait_for_timeout(900)
    page.mouse.move(640, 790)
    shoot(page, "curves")
    for _ in range(2):
        page.click("#undo")
        page.wait_for_timeout(500)
    take_stages(page, url)
    take_reuse(page, url)
    take_first_cut(page, url)
    page.goto(url)
    page.wait_for_timeout(700)
    dates = "document.querySelectorAll('[data-changed]')"
    page.evaluate(f"{dates}.forEach(date => (date.textContent = 'changed 24 November, 21:04'))")
    shoot(page, "projects")


def take_newer_stems(page: Page) -> None:
    """The Sound room while it asks about stems that look like newer ones of its own; they are left aside then."""
    newer = [f"{name} v2.wav" for name in ("Drip", "Panes", "Reed")]
    page.set_input_files("#file", [{"name": name, "mimeType": "audio/wav", "buffer": b""} for name in newer])
    settled(page, "#notice-other:not([hidden])")
    shoot(page, "sound")
    page.click("#notice-close")


def take_live(page: Page) -> None:
    """The stage as the rehearsal microphone moves it."""
    page.click("#live-open")
    page.select_option("#live-source", "rehearsal")
    page.click("#live-start")
    page.wait_for_selector("#live-words:has-text('sound to picture')")
    page.wait_for_timeout(5200)
    shoot(page, "live")
    page.click("#live-start")
    page.click("#live-close")


def take_performed(page: Page) -> None:
    """What the rehearsal hand taps, while it is recorded."""
    page.click("[data-row='drip']")
    page.wait_for_timeout(1500)
    page.press("body", "Home")
    page.click("#open-perform")
    page.select_option("#perform-device", "rehearsal hand")
    page.select_option("#perform-count", "0")
    page.click("#perform-record")
    page.wait_for_timeout(6500)
    page.click("#perform-record")
    page.wait_for_selector("[data-show-envelope='taps-1'][aria-current]")
    page.wait_for_timeout(1500)
    page.click("#perform-record")
    page.wait_for_timeout(3100)
    shoot(page, "perform")
    page.click("#perform-record")
    page.wait_for_timeout(1500)
    page.click("#perform-close")
    for _ in range(2):
        page.click("#undo")
        page.wait_for_timeout(700)
    page.press("body", "Home")
    page.click("[data-row='rain-on-panes']")
    page.wait_for_timeout(1500)


def take_first_cut(page: Page, url: str) -> None:
    """A dropped mix with its first cut, and the picker over it; the project goes again."""
    page.goto(url)
    content = demo_sounds()[MIX]
    page.set_input_files("#file", {"name": f"{MIX}.wav", "mimeType": "audio/wav", "buffer": content})
    settled(page, ".cut-row")
    if page.get_attribute("#play", "aria-label") == "Stop":
        page.click("#play")
    page.press("body", "Home")
    page.mouse.move(640, 790)
    page.wait_for_timeout(900)
    shoot(page, "first-cut")
    page.click("#add-target")
    page.fill("#picker-find", "lam tu")
    settled(page, "#picker [data-target]")
    page.press("#picker-find", "ArrowDown")
    page.wait_for_timeout(900)
    shoot(page, "picker")
    page.goto(url)
    page.click(f"[aria-label='Delete {MIX}']")
    page.wait_for_timeout(300)


def take_stages(page: Page, url: str) -> None:
    page.click("#rooms >> text=Stage")
    settled(page, "#part-panel")
    page.click("[data-select='lamp-glow']")
    settled(page, "[data-try='lamp-glow:turn']")
    page.mouse.move(640, 790)
    shoot(page, "stage")
    take_live(page)
    page.click("[data-select='cloche-1']")
    page.click("#choose-alike")
    settled(page, "#several-title")
    page.mouse.move(640, 790)
    page.wait_for_timeout(500)
    shoot(page, "several")
    page.click("#choose-none")
    take_reach(page)
    page.goto(url)
    page.click("main li a:has-text('potting bench')")
    settled(page, "#plot")
    page.click("#rooms >> text=Stage")
    settled(page, "#stage canvas")
    page.click("[data-select='lamp']")
    settled(page, "[data-try='lamp:turn_z']")
    page.evaluate(FURTHEST)
    page.click("#draft")
    page.wait_for_timeout(2500)
    page.mouse.move(640, 790)
    shoot(page, "stage-3d")
    page.click("[data-select='spray']")
    settled(page, "#drops-leave")
    page.evaluate(LOUD.replace("415", "246"))
    page.wait_for_timeout(2500)
    page.mouse.move(640, 790)
    shoot(page, "spray")
    page.click(".tree-row:has-text('Moth') >> nth=0")
    settled(page, "#ride-sheet")
    page.click("#frame-part")
    page.evaluate(LOUD)
    page.wait_for_timeout(2500)
    page.mouse.move(640, 790)
    shoot(page, "ways")
    take_profile(page)
    take_array(page, url)


def take_profile(page: Page) -> None:
    """A scene in space, written for a program with other axes and lengths."""
    page.click("#rooms >> text=Hand-off")
    settled(page, "#write-usd")
    page.click("#profile > summary")
    page.select_option("[name=up]", "z")
    page.select_option("[name=lengths]", "centimetres")
    page.mouse.move(640, 790)
    page.wait_for_timeout(500)
    shoot(page, "profile")
    page.click("#profile-plain")


def take_reach(page: Page) -> None:
    """Cloches as they stand, those in the middle within a reach."""
    page.select_option("#add-part", "reach")
    settled(page, "#reach-sheet")
    page.fill("#own-reach_y", "860")
    page.press("#own-reach_y", "Enter")
    page.wait_for_timeout(600)
    page.click("[data-goes-by]:has-text('Cloche tops')")
    page.wait_for_selector("[data-goes-by][aria-pressed='true']")
    page.evaluate(LOUD)
    page.wait_for_timeout(1500)
    page.mouse.move(640, 790)
    shoot(page, "reach")


def take_array(page: Page, url: str) -> None:
    """A thousand panes, in their order, within a reach that the loudness opens."""
    page.goto(url)
    page.click("main li a:has-text('wall of panes')")
    settled(page, "#plot")
    page.click("#rooms >> text=Stage")
    settled(page, "#stage canvas")
    page.click("[data-select='panes']")
    settled(page, "#array-sheet")
    page.evaluate(LOUD)
    page.click("#draft")
    page.wait_for_timeout(4000)
    page.mouse.move(640, 790)
    shoot(page, "arrays")


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as data:
        words = [sys.executable, "-m", "fern_tide.cli", "demo", "--data", data, "--port", "0"]
        server = subprocess.Popen(words, stdout=subprocess.PIPE, text=True, env={**os.environ})
        url = re.search(r"http://\S+", server.stdout.readline())[0]
        try:
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS + QUIET)
                take(browser.new_page(viewport={"width": 1280, "height": 800}), url)
                browser.close()
        finally:
            server.terminate()
            server.wait()


if __name__ == "__main__":
    main()

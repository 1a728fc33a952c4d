"""Measure in the browser, 20 mappings on a 4-minute song: a mark and a band's edge dragged, the Sound room opened.

Usage: python benchmarks/drag.py
"""

from __future__ import annotations

import math
import re
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from shutil import which

import numpy as np
import soundfile
from playwright.sync_api import Page, sync_playwright

TARGETS = [f"cloche-{n}:scale_y" for n in range(1, 11)]
TARGETS += ["lamp-glow:opacity", "lamp-glow:scale_x", "moth-one:turn", "moth-two:turn", "frond-left:turn"]
TARGETS += ["frond-right:turn", "rain:opacity", "title:fill", "lamp:turn", "moth-one:y"]
CHROMIUM = which("chromium-headless-shell") or "/usr/bin/chromium"
FLAGS = ["--no-sandbox", "--disable-dev-shm-usage", "--mute-audio", "--disable-background-networking"]


def song(path: Path) -> None:
    rng, rate = np.random.default_rng(1), 44_100
    sound = rng.normal(size=rate * 240) * 0.01
    t = np.arange(8_000) / rate
    for start in range(0, sound.size - 9_000, 20_000):
        sound[start : start + 8_000] += np.sin(2 * np.pi * 60 * t) * np.exp(-t / 0.05) * rng.uniform(0.3, 0.9)
    soundfile.write(path, sound, rate)


def prepare(page: Page, url: str, path: Path) -> None:
    page.goto(url)
    page.set_input_files("#file", path)
    page.wait_for_url("**/bench", timeout=60_000)
    page.click("#cut-drop")
    page.wait_for_selector("#first-target", timeout=60_000)
    page.select_option("#rate", "60")
    page.wait_for_timeout(1_000)
    while page.evaluate("document.getElementById('work').childElementCount"):
        page.wait_for_timeout(300)
    for place, target in enumerate(TARGETS):
        part = target.partition(":")[0]
        page.click("#first-target" if place == 0 else "#add-target")
        page.fill("#picker-find", part.replace("-", " "))
        page.click(f"#picker [data-open='{part}']")
        page.click(f"#picker [data-target='{target}']")
        while page.locator("canvas[data-lane]").count() <= place:
            page.wait_for_timeout(50)
    page.wait_for_timeout(1_500)


LISTEN = """() => {
  if (!window.ms) document.addEventListener('ft:drawn', (event) => window.ms.push(event.detail));
  window.ms = [];
}"""


def drag(page: Page, *, x: float, y: float, by: tuple[float, float]) -> list[float]:
    """Drag in small moves; gives the milliseconds from each pointer move to what it changes being drawn."""
    page.evaluate(LISTEN)
    page.mouse.move(x, y)
    page.mouse.down()
    for step in range(120):
        page.mouse.move(x + by[0] * step, y + by[1] * step)
        time.sleep(0.016)
    page.mouse.up()
    return sorted(page.evaluate("window.ms"))


def drag_mark(page: Page) -> list[float]:
    box = page.locator("#mark-low").bounding_box()
    return drag(page, x=box["x"] + 8, y=box["y"] + 60, by=(1, 0))


OPENED = """() => new Promise((resolve) => {
  const began = performance.now();
  document.addEventListener('ft:loaded', (event) => resolve(event.detail - began), { once: true });
  document.querySelector('#rooms a[href$="/sound"]').click();
})"""


def open_room(page: Page) -> list[float]:
    """Go to the Sound room from the Bench; gives the milliseconds from the click until all of it is drawn."""
    times = []
    for _ in range(9):
        page.click("#rooms >> text=Bench")
        page.wait_for_selector("canvas[data-lane]")
        page.wait_for_timeout(600)
        times.append(page.evaluate(OPENED))
    return sorted(times)


def drag_band(page: Page) -> list[float]:
    page.select_option("#named-band", "40 120")
    page.wait_for_timeout(500)
    while page.evaluate("document.getElementById('work').childElementCount"):
        page.wait_for_timeout(300)
    page.wait_for_timeout(800)
    box = page.locator("#bands").bounding_box()
    octaves = math.log2(20_000 / 25)
    y = box["y"] + box["height"] * (1 - math.log2(120 / 25) / octaves)
    return drag(page, x=box["x"] + 300, y=y, by=(0, -0.8))


def said(what: str, times: list[float], goal: str) -> None:
    middle, late = times[len(times) // 2], times[int(len(times) * 0.95)]
    print(f"{what}: {len(times)} drawn; median {middle:.0f} ms, 95th percentile {late:.0f} ms ({goal})", flush=True)


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "song.wav"
        song(path)
        words = [sys.executable, "-m", "fern_tide.cli", "serve", "--data", f"{folder}/data", "--port", "0"]
        server = subprocess.Popen(words, stdout=subprocess.PIPE, text=True)
        url = re.search(r"http://\S+", server.stdout.readline())[0]
        try:
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                prepare(page, url, path)
                said("a mark dragged on the Bench", drag_mark(page), "goal 33, 60")
                said("the Sound room opened", open_room(page), "goal 150")
                said("a band's edge dragged", drag_band(page), "goal 33 median")
                browser.close()
        finally:
            server.terminate()
            server.wait()


if __name__ == "__main__":
    main()

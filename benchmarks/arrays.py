"""Measure what arrays cost: baking, drawing, and how soon another order is seen; writes a part of docs/benchmarks.md.

Usage: python benchmarks/arrays.py
"""

from __future__ import annotations

import os

os.environ["OPENBLAS_NUM_THREADS"] = "1"

import re
import resource
import subprocess
import sys
import tempfile
import time
from shutil import which
from statistics import median

import numpy as np
from page import write_part
from playwright.sync_api import Page, sync_playwright

from fern_tide.core.bake.bake import stack_of
from fern_tide.core.bake.pieces import motion_of, piece_values
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.scene import Part, Scene

CHROMIUM = which("chromium-headless-shell") or "/usr/bin/chromium"
FLAGS = ["--no-sandbox", "--disable-dev-shm-usage", "--mute-audio", "--autoplay-policy=no-user-gesture-required"]
ORDERS = ("outward", "x", "shuffled")
WATCH = """() => {
    const line = document.querySelector(".order-line");
    const of = () => line.getAttribute("points");
    window.change = (order) => new Promise((done) => {
        const before = of();
        const began = performance.now();
        new MutationObserver((_, watcher) => {
            if (of() === before) return;
            watcher.disconnect();
            requestAnimationFrame(() => {
                const { port1, port2 } = new MessageChannel();
                port1.onmessage = () => done(performance.now() - began);
                port2.postMessage(0);
            });
        }).observe(line, { attributes: true });
        document.querySelector(`#array-order-${order}`).click();
    });
}"""
PLAY = """async () => {
    const { transport } = (await import(document.querySelector("script[type=module]").src)).transport;
    const draw = WebGL2RenderingContext.prototype;
    const seen = new Set();
    for (const name of ["drawArrays", "drawElements", "drawArraysInstanced", "drawElementsInstanced"]) {
        const own = draw[name];
        draw[name] = function (...given) { seen.add(transport.frame); return own.apply(this, given); };
    }
    transport.play();
    await new Promise((done) => setTimeout(done, 6000));
    transport.stop();
    return seen.size / 6;
}"""


def grid(across: int, up: int) -> Part:
    shape = {"id": "array_3d", "params": {"layout": {"id": "grid", "params": {"across": across, "up": up}}}}
    return Part.model_validate({"id": "field", "name": "Field", "shape": shape})


def baking() -> list[tuple[str, str, str]]:
    """Bake 10,000 pieces; say how large a document with 250,000 is."""
    n_frames, rate = 3600, FrameRate.parse("60")
    scene = Scene(name="S", kind="3d", parts=(grid(100, 100),))
    drive = {"target": "field:piece_y", "rest": 0.0, "full": 1.0}
    plain = {"id": "m", "name": "m", "envelope": "e", "marks": {"low": 0, "high": 1}, "spread": True, "drives": [drive]}
    mapping = Mapping.model_validate(plain)
    stack = stack_of(scene, Target.parse("field:piece_y"), [(mapping, mapping.drives[0])])
    rows = np.random.default_rng(1).random((24, n_frames))
    motion = motion_of(scene, scene.parts[0], {}, rate=rate, n_frames=n_frames)
    began = time.perf_counter()
    values = piece_values(motion, stack, [rows])
    seconds = time.perf_counter() - began
    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    document = Project(name="P", scene=Scene(name="S", kind="3d", parts=(grid(500, 500),))).model_dump_json()
    return [
        (
            f"bake of {len(values):,} pieces x {n_frames} frames, one property",
            "5 s, 1.5 GB",
            f"{seconds:.2f} s, {most:.2f} GB",
        ),
        ("a document with an array of 250,000 pieces", "10 KB", f"{len(document) / 1000:.1f} KB"),
    ]


def of_size(page: Page, across: int, up: int) -> None:
    """Lay the selected array out as a grid."""
    for name, count in (("across", across), ("up", up)):
        page.fill(f"#layout-{name}", str(count))
        page.press(f"#layout-{name}", "Enter")
        page.wait_for_timeout(3000)


def drawing() -> list[tuple[str, str, str]]:
    """Draw arrays in a browser, in software, while their height is driven."""
    rows = []
    with tempfile.TemporaryDirectory() as data, sync_playwright() as playwright:
        command = [sys.executable, "-m", "fern_tide.cli", "demo", "--data", data, "--port", "0"]
        server = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert server.stdout is not None
        (url,) = re.findall(r"http://\S+?(?=/ )", server.stdout.readline())
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=url)
        page.goto("/")
        page.wait_for_timeout(20_000)  # the demos are read
        page.goto(page.get_attribute("main li a", "href").replace("/bench", "/stage"))
        page.select_option("#new-stage", "3d")
        page.wait_for_timeout(3000)
        page.select_option("#add-part", "array_3d")
        page.wait_for_selector("#array-layout")
        page.select_option("#array-layout", "grid")
        page.wait_for_timeout(2000)
        page.click("[data-drive-it='array:piece_y']")
        page.wait_for_timeout(3000)
        of_size(page, 100, 100)
        page.evaluate(WATCH)
        times = []
        for at in range(15):
            times.append(page.evaluate("(order) => change(order)", ORDERS[at % 3]))
            page.wait_for_timeout(900)
        said = f"{median(times[3:]):.0f} ms median of twelve"
        rows.append(("another order of 10,000 driven pieces, from the click to the drawing", "100 ms", said))
        for across, up, goal in ((50, 40, "10 fps"), (500, 500, "2 fps")):
            of_size(page, across, up)
            rows.append((f"{across * up:,} pieces, draft, as they play", goal, f"{page.evaluate(PLAY):.1f} fps"))
        browser.close()
        server.terminate()
        server.wait()
    return rows


def main() -> None:
    rows = [*baking(), *drawing()]
    write_part("Arrays", "Drawn in software; wall-clock times, of one run.", rows)
    for row in rows:
        print(*row, sep=" | ")


if __name__ == "__main__":
    main()

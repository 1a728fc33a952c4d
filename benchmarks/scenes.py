"""Measure what scenes cost: coming in, baking, going home, drawing; writes the part 'Scenes' of docs/benchmarks.md.

Usage: python benchmarks/scenes.py
"""

from __future__ import annotations

import os

os.environ["OPENBLAS_NUM_THREADS"] = "1"

import io
import re
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from shutil import which
from typing import Any

import numpy as np
from page import write_part
from playwright.sync_api import sync_playwright

from fern_tide.core.bake.bake import bake
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.marks import Marks
from fern_tide.core.scene.gltf.build import build
from fern_tide.core.scene.gltf.container import Gltf, pack
from fern_tide.core.scene.scene import Part, PartChoice, Scene
from fern_tide.demo.scene import glasshouse
from fern_tide.workflows.studio import Settings, Studio

ROOT = Path(__file__).parent.parent
CHROMIUM = which("chromium-headless-shell") or "/usr/bin/chromium"
FLAGS = ["--no-sandbox", "--disable-dev-shm-usage", "--mute-audio", "--autoplay-policy=no-user-gesture-required"]
QUIET = ["--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update"]
ROWS: list[tuple[str, str, str]] = []


def row(what: str, goal: str, measured: str) -> None:
    ROWS.append((what, goal, measured))
    print(f"{what}: {measured}  (goal: {goal})", flush=True)


def large_svg() -> bytes:
    """120 groups of 99 paths, styled by classes and attributes."""
    rng = np.random.default_rng(1)
    out = [
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1600 900"><style>.a{fill:#3e6b3a}.b{stroke:red}</style>'
    ]
    for group in range(120):
        out.append(f'<g id="frond-{group}" transform="translate({group} 20)">')
        for place in range(99):
            x, y = rng.uniform(0, 1600), rng.uniform(0, 900)
            style = f'class="{"ab"[place % 2]}" style="opacity:.9"'
            out.append(f'<path {style} d="M{x:.2f} {y:.2f}c10 0 20 5 30 10l-4 {place}z"/>')
        out.append("</g>")
    return "".join([*out, "</svg>"]).encode()


def large_glb() -> bytes:
    """A solid often enough for 20 MB, each with its own data."""
    parts = tuple(
        Part(
            id=f"leaf-{n}",
            name=f"Leaf {n}",
            shape=PartChoice.model_validate({"id": "sphere", "params": {"radius": 1 + n / 100, "around": 128}}),
            values={"x": float(n)},
        )
        for n in range(80)
    )
    gltf = build(Scene(name="Large", kind="3d", parts=parts), files={}).closed()
    return pack(Gltf(gltf.json, gltf.binary))


def coming_in(data: Path) -> None:
    from fern_tide.web.app import create_app

    app = create_app(Studio.open(Settings(data=data)))
    app.config["WTF_CSRF_ENABLED"] = False
    client: Any = app.test_client()
    for what, name, content in (
        ("an SVG of 12,000 elements", "large.svg", large_svg()),
        ("a GLB", "large.glb", large_glb()),
    ):
        start = time.perf_counter()
        answer = client.post("/projects/scene", data={"file": (io.BytesIO(content), name)})
        took = time.perf_counter() - start
        assert answer.status_code == 201, answer.text
        start = time.perf_counter()
        assert client.get(answer.json["url"]).status_code == 200
        shown = time.perf_counter() - start
        size = f"{len(content) / 1e6:.1f} MB"
        row(
            f"import of {what} ({size}): checked, made into parts, stored",
            "under 3 s",
            f"{took:.2f} s; its page {shown:.2f} s more",
        )


def going_home() -> None:
    n_frames, rate = 14_400, FrameRate.parse("60")
    solids = tuple(Part(id=f"p{n}", name=f"P{n}", shape=PartChoice(id="box")) for n in range(100))
    scene = Scene(name="s", kind="3d", parts=solids)
    time_s = np.arange(n_frames) / 60
    mappings = [
        Mapping(
            id=f"m{n}",
            name="m",
            envelope="e",
            marks=Marks(low=0.1, high=0.9),
            drives=(Drive(target=Target(part=f"p{n}", property="scale_y"), rest=1.0, full=2.0),),
        )
        for n in range(100)
    ]
    lifts = {f"m{n}": np.abs(np.sin(time_s * (1 + n / 10))) for n in range(100)}
    start = time.perf_counter()
    curves = bake(scene, mappings, lifts=lifts, n_frames=n_frames)
    written = write(HandOff("B", scene, curves, rate, n_frames), format=FORMATS["gltf"])
    took = time.perf_counter() - start
    size = f"{len(written.content) / 1e6:.0f} MB"
    row("bake of 100 mappings x 14,400 frames and its GLB, written and read back", "under 5 s", f"{took:.2f} s, {size}")
    row("largest read-back error, glTF", "1e-5 of the range", f"{written.error:.1e}")
    flat = glasshouse()
    drives = tuple(
        Drive(target=Target(part=part.id, property=item.id), rest=rest, full=full)
        for part in flat.parts
        for item in part.properties
        for rest, full in [item.suggest_ends(part.own(item.id))]
    )
    everything = Mapping(id="a", name="a", envelope="e", marks=Marks(low=0.1, high=0.9), drives=drives)
    some = bake(flat, [everything], lifts={"a": lifts["m3"][:900]}, n_frames=900)
    svg = write(HandOff("B", flat, some, rate, 900), format=FORMATS["svg"])
    row(f"largest read-back error, animated SVG, {len(some)} curves", "1e-3 of the range", f"{svg.error:.1e}")


def drawing(data: Path) -> None:
    words = [sys.executable, "-m", "fern_tide.cli", "demo", "--data", str(data), "--port", "0"]
    server = subprocess.Popen(words, stdout=subprocess.PIPE, text=True)
    assert server.stdout is not None
    (url,) = re.findall(r"http://\S+?(?=/ )", server.stdout.readline())
    time.sleep(15)  # the demo's sounds are analyzed
    try:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS + QUIET)
            page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=url)
            page.goto("/")
            links = page.eval_on_selector_all("main li a", "links => links.map((a) => a.getAttribute('href'))")
            for name, link in zip(("2D", "3D, draft"), links, strict=False):
                page.goto(link.replace("/bench", "/stage"))
                page.wait_for_timeout(4000)
                shown = page.evaluate(
                    """async () => {
                        const { src } = document.querySelector("script[type=module]");
                        const { transport } = (await import(src)).transport;
                        transport.seek(300);
                        const seen = new Set();
                        transport.play();
                        const end = performance.now() + 5000;
                        while (performance.now() < end) {
                            await new Promise(requestAnimationFrame);
                            seen.add(transport.frame);
                        }
                        transport.stop();
                        return seen.size / 5;
                    }"""
                )
                row(f"the demo scene as it plays at 30 fps, drawn in software ({name})", "12 fps", f"{shown:.1f} fps")
            browser.close()
    finally:
        server.terminate()
        server.wait()


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        coming_in(Path(folder) / "a")
        going_home()
        drawing(Path(folder) / "b")
    write_part("Scenes", "Wall-clock times, of one run.", ROWS)


if __name__ == "__main__":
    main()

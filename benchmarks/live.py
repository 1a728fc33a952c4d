"""Measure Live: how much of a core it takes, what an hour of it keeps, and how soon a sound is seen; written last.

Usage: make bench
"""

from __future__ import annotations

import os

os.environ["OPENBLAS_NUM_THREADS"] = "1"

import re
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from shutil import which

import numpy as np
from page import write_part
from playwright.sync_api import sync_playwright
from sounds import song

from fern_tide.core.base.signal import Float32Array
from fern_tide.core.document import Project
from fern_tide.core.live.run import LiveRun
from fern_tide.core.sound.decode import blocks
from fern_tide.demo.project import bench_project, demo_project, wall_project

RATE_HZ, FRAME = 48_000, 1600
PROJECTS = {"the demo": demo_project, "the potting bench": bench_project, "the wall of panes": wall_project}
WORDS = (
    "Shares of a core are CPU time; all else is of one run. Sound to picture is until the page has drawn, as its panel "
    "says.\nWhere the processor draws, the browser then works out the pixels: a 2D picture is on the screen about 12 ms"
    " later, a 3D one 50 to 70 ms."
)
CHROMIUM = which("chromium-headless-shell") or "/usr/bin/chromium"


def second() -> Float32Array:
    """A second of a song, at the rate that a page listens at."""
    import io

    whole = np.concatenate(list(blocks(io.BytesIO(song(4, channels=1)))), axis=1)
    return np.ascontiguousarray(whole[:, :RATE_HZ], dtype=np.float32)


def pushed(run: LiveRun, sound: Float32Array, seconds: int) -> float:
    """Push a second through so many times, a frame at a time; gives the CPU seconds."""
    before = time.process_time()
    for _ in range(seconds):
        for at in range(0, RATE_HZ, FRAME):
            run.take(sound[:, at : at + FRAME])
            run.curves()
    return time.process_time() - before


def resident_mb() -> float:
    return int(Path("/proc/self/status").read_text().split("VmRSS:")[1].split()[0]) / 1024


def of_a_core(project: Project, sound: Float32Array) -> str:
    run = LiveRun(project, sample_rate_hz=RATE_HZ, channels=1)
    pushed(run, sound, 35)  # longer than anything is remembered
    return f"{100 * pushed(run, sound, 10) / 10:.0f} % of a core"


def an_hour(sound: Float32Array) -> str:
    run = LiveRun(demo_project(), sample_rate_hz=RATE_HZ, channels=1)
    pushed(run, sound, 300)
    first = resident_mb()
    pushed(run, sound, 3300)
    return f"{resident_mb() - first:+.1f} MB"


def seen(kinds: tuple[str, ...]) -> list[str]:
    """Let the rehearsal microphone play to the demos in a browser; gives what their panels say."""
    said = []
    with tempfile.TemporaryDirectory() as data, sync_playwright() as playwright:
        command = [sys.executable, "-m", "fern_tide.cli", "demo", "--data", data, "--port", "0"]
        server = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert server.stdout is not None
        url = re.search(r"http://\S+?(?=/ )", server.stdout.readline())
        flags = ["--no-sandbox", "--mute-audio", "--autoplay-policy=no-user-gesture-required"]
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=flags)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        assert url is not None
        page.goto(url[0])
        page.wait_for_timeout(20_000)  # the demos are read
        links = page.eval_on_selector_all("a[href$='/bench']", "links => links.map((link) => link.href)")
        for link in reversed(links):
            page.goto(link.removesuffix("bench") + "stage")
            if page.get_attribute("#stage", "data-kind") not in kinds:
                continue
            page.wait_for_timeout(4000)
            page.click("#live-open")
            page.select_option("#live-source", "rehearsal")
            page.click("#live-start")
            page.wait_for_timeout(9000)
            said.append(page.inner_text("#live-words").removesuffix(" from sound to picture"))
            page.click("#live-start")
        browser.close()
        server.terminate()
        server.wait()
    return said


def main() -> None:
    sound = second()
    rows = [
        (f"{name}, live, beyond drawing", "50 % of a core", of_a_core(make(), sound)) for name, make in PROJECTS.items()
    ]
    rows.append(("what an hour of the demo keeps, after its first five minutes", "0 MB", an_hour(sound)))
    rows += [("sound to picture, the 2D demo, drawn in software", "60 ms", words) for words in seen(("2d",))]
    rows += [("sound to picture, a 3D demo, drawn in software", "60 ms", words) for words in seen(("3d",))]
    write_part("Live", WORDS, rows)
    for row in rows:
        print(*row, sep=" | ")


if __name__ == "__main__":
    main()

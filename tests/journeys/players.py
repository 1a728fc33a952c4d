"""A Lottie player in a page beside the browser's own SVG, and Lottie's schema, as the tests of formats share them."""

import base64
import json
import subprocess
from pathlib import Path

import numpy as np

MODULES = Path(__file__).parents[2] / "node_modules"
PLAYER = MODULES / "lottie-web/build/player/lottie_svg.min.js"
VALIDATOR = MODULES / "@lottie-animation-community/lottie-specs/bin/validate.js"
CLOCKS = "document.querySelectorAll('svg').forEach((svg) =>"  # a drawing in it has one of its own
FONTS = {
    "Fraunces": "fraunces/files/fraunces-latin-600",
    "Instrument Sans": "instrument-sans/files/instrument-sans-latin-600",
    "Spline Sans Mono": "spline-sans-mono/files/spline-sans-mono-latin-500",
}
LOAD = """data => new Promise((loaded) => {
    const container = document.getElementById("a");
    const still = { loop: false, autoplay: false };
    window.shown = lottie.loadAnimation({ container, renderer: "svg", animationData: data, ...still });
    if (data.assets.some(({ p }) => p)) shown.addEventListener("loaded_images", loaded);
    else loaded();
})"""


def lottie_frames(page, data, frames, *, picture) -> dict[int, np.ndarray]:
    """Show a Lottie file's frames one after the other, and give what picture(page) gives of each."""
    page.set_content("<body style='margin:0'><div id=a style='width:960px;height:540px'></div></body>")
    page.add_script_tag(content=PLAYER.read_text())
    page.evaluate(LOAD, data)
    pictures = {}
    for frame in frames:
        page.evaluate("frame => shown.goToAndStop(frame, true)", frame)
        pictures[frame] = picture(page)
    return pictures


def lottie_errors(content: bytes, file: Path) -> list[dict]:
    """List what the schema of Lottie has against a file."""
    file.write_bytes(content)
    run = subprocess.run(["node", VALIDATOR, file], capture_output=True, text=True, check=False)
    issues = json.loads(run.stdout[: run.stdout.rindex("]") + 1])
    return [one for one in issues if one["type"] == "error"]


def svg_frames(page, svg: str, seconds: dict[int, float], *, picture) -> dict[int, np.ndarray]:
    """Show an animated SVG's frames at their times one after the other, and give what picture(page) gives of each."""
    page.set_content(f"<body style='margin:0'>{svg.replace('<svg ', '<svg width=960 height=540 ', 1)}</body>")
    page.evaluate(f"{CLOCKS} svg.pauseAnimations())")
    page.wait_for_timeout(300)
    pictures = {}
    for frame, at in seconds.items():
        page.evaluate(f"at => {CLOCKS} svg.setCurrentTime(at))", at + 1e-4)
        pictures[frame] = picture(page)
    return pictures


def beside_svg(page, content: bytes, svg: str, seconds: dict[int, float], *, picture) -> dict[int, tuple]:
    """Give, of each frame, what a player shows of a Lottie file, and how far each pixel of the SVG is from that."""
    shown = lottie_frames(page, json.loads(content), seconds, picture=picture)
    seen = svg_frames(page, svg, seconds, picture=picture)
    return {frame: (shown[frame], np.abs(seen[frame] - shown[frame]).max(axis=2)) for frame in seconds}


def faces() -> str:
    """Give the fonts that shipped outlines are of as a style, set letter by letter, without pairs of letters."""
    rules = []
    for family, name in FONTS.items():
        data = base64.b64encode((MODULES / f"@fontsource/{name}-normal.woff2").read_bytes()).decode()
        source = f"url(data:font/woff2;base64,{data})"
        rules.append(f"@font-face {{ font-family: '{family}'; font-weight: 100 900; src: {source}; }}")
    plain = "text-rendering: geometricPrecision; font-kerning: none; font-variant-ligatures: none;"
    return f"<style>{' '.join(rules)} text {{ {plain} }}</style>"

"""A Lottie player in a page, as the tests of formats share it."""

from pathlib import Path

import numpy as np

MODULES = Path(__file__).parents[2] / "node_modules"
PLAYER = MODULES / "lottie-web/build/player/lottie_svg.min.js"
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

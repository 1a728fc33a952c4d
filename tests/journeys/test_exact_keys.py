"""Stepped keys of an SVG, in the browser, at the very time of their frame."""

import numpy as np
import pytest

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.scene.scene import Part, PartChoice, Scene

FRAMES = 1500


@pytest.mark.parametrize("rate", ["24", "24000/1001", "30000/1001", "60", "60000/1001"])
def test_a_step_shows_at_its_frames_own_time_and_not_before(page, rate):
    scene = Scene(name="Steps", parts=(Part(id="leaf", name="Leaf", shape=PartChoice(id="ellipse")),))
    values = np.arange(FRAMES) % 2 * 0.5 + 0.25
    item = scene.part("leaf").property("opacity")
    curve = Curve(Target.parse("leaf:opacity"), "Leaf", item.label, item.unit, "number", values)
    fps = FrameRate.parse(rate)
    hand_off = HandOff("Steps", scene, (curve,), fps, FRAMES)
    spec = FORMATS["svg"]
    written = write(hand_off, format=spec, params=spec.params(interpolation="step"))
    assert written.error == 0.0
    page.route("**/steps.svg", lambda route: route.fulfill(body=written.content, content_type="image/svg+xml"))
    page.goto("/steps.svg")
    at = [float(fps.seconds(k)) for k in range(FRAMES)]
    before = [(k - 0.3) / float(fps.fps) for k in range(1, FRAMES)]
    found = page.evaluate(
        """times => {
            const moving = document.querySelector("animate").parentElement;
            document.documentElement.pauseAnimations();
            return times.map((seconds) => {
                document.documentElement.setCurrentTime(seconds);
                return Number(getComputedStyle(moving).opacity);
            });
        }""",
        at + before,
    )
    np.testing.assert_allclose(found[:FRAMES], values, atol=1e-6)
    np.testing.assert_allclose(found[FRAMES:], values[:-1], atol=1e-6)

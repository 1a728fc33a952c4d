"""All rooms, and an SVG that was handed off, in Debian's Firefox and WebKit."""

import time
from dataclasses import replace

import numpy as np
import pytest
from tests.core.formats.hand_offs import curves_of
from tests.journeys.other_browsers import other_browser

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.demo.scene import glasshouse

ROOMS = {
    "bench": ("#ribbon", "#histogram", "canvas[data-lane]"),
    "sound": ("#ribbon", "#spectrogram", "#bands", "#pitches", "#spectrum", "#trace"),
    "stage": ("#ribbon",),
    "hand-off": ("#keys-plot", "#ribbon"),
}
DRAWN = """[...document.querySelectorAll(SELECTOR)].map((canvas) => {
    const { data } = canvas.getContext("2d").getImageData(0, 0, canvas.width, canvas.height);
    const panel = (canvas.closest(".panel, .plot, .stage") ?? document.body).getBoundingClientRect();
    const own = canvas.getBoundingClientRect();
    const across = own.left >= panel.left - 1 && own.right <= panel.right + 1;
    const along = own.top >= panel.top - 1 && own.bottom <= panel.bottom + 1;
    const { left, right } = own;
    return { blank: data.every((value, at) => value === data[at % 4]), inside: across && along, left, right };
})"""
CUT = """[...document.querySelectorAll("#room input.num")]
    .filter(({ scrollWidth, clientWidth }) => clientWidth && scrollWidth > clientWidth + 1).map(({ id }) => id)"""


READ = """(() => {
            const root = document.documentElement;
            root.pauseAnimations();
            const turning = document.querySelector("animateTransform[type=rotate]").parentElement;
            const fading = document.querySelector("animate[attributeName=opacity]").parentElement;
            return TIMES.map((seconds) => {
                root.setCurrentTime(seconds);
                const list = [...Array(turning.transform.animVal.numberOfItems).keys()];
                const matrices = list.map((place) => turning.transform.animVal.getItem(place).matrix);
                const { a, b } = matrices.reduce((product, next) => product.multiply(next), root.createSVGMatrix());
                return [Math.atan2(b, a) * 180 / Math.PI, Number(getComputedStyle(fading).opacity)];
            });
        })()"""


STEPS = """(() => {
    document.documentElement.pauseAnimations();
    const fading = document.querySelector("animate[attributeName=opacity]").parentElement;
    return TIMES.map((seconds) => {
        document.documentElement.setCurrentTime(seconds);
        return Number(getComputedStyle(fading).opacity);
    });
})()"""


def wait_for(browser, expression: str, *, seconds: float = 90.0) -> None:
    end = time.monotonic() + seconds
    while not browser.evaluate(expression):
        assert time.monotonic() < end, f"{browser.name}: it never came: {expression}"
        time.sleep(0.2)


@pytest.fixture(scope="module", params=["firefox", "webkit"])
def other(request):
    with other_browser(request.param) as browser:
        yield browser


def test_every_room_is_drawn_whole_and_on_one_axis(other, server):
    other.open(server.url)
    other.evaluate("document.querySelector('#open-demo').click()")
    wait_for(other, "location.pathname.endsWith('/bench')")
    wait_for(other, "document.querySelector('#hits')?.textContent !== '–' && !document.querySelector('#bake').disabled")
    other.evaluate("document.querySelector('#bake').click()")
    wait_for(other, "document.querySelector('#bake').textContent === 'All curves baked'")
    address = other.evaluate("location.href").rsplit("/", 1)[0]
    for room, canvases in ROOMS.items():
        other.open(f"{address}/{room}")
        other.evaluate("document.querySelector('#show-look')?.click()")
        for selector in canvases:
            drawn = DRAWN.replace("SELECTOR", repr(selector))
            wait_for(other, f"({drawn}).length > 0 && ({drawn}).every(({{ blank }}) => !blank)")
            assert all(item["inside"] for item in other.evaluate(drawn)), (room, selector)
        rows = other.evaluate(DRAWN.replace("SELECTOR", "'#ribbon, canvas[data-lane]'"))
        if room == "bench":
            for side in ("left", "right"):
                edges = [item[side] for item in rows]
                assert len(edges) > 2 and max(edges) - min(edges) < 0.6
        assert other.evaluate(CUT) == [], room
    assert other.wrong == []


def test_an_svg_that_was_handed_off_moves_as_it_was_baked(other, server, tmp_path):
    scene, rate, frames = glasshouse(), FrameRate.parse("30000/1001"), 40
    curves = curves_of(scene, ("lamp:turn", -8, 12), ("lamp-glow:opacity", 0.2, 0.9))
    written = write(HandOff("Glasshouse", scene, curves, rate, frames), format=FORMATS["svg"])
    file = tmp_path / "glasshouse.svg"
    file.write_bytes(written.content)
    other.open(file.as_uri())
    at = [0, 3, 7, 8, 12, 19, 23, 28, 33, 39]
    found = other.evaluate(READ.replace("TIMES", str([float(rate.seconds(frame)) for frame in at])))
    values = {str(curve.target): curve.values[at] for curve in curves}
    turns, opacities = np.array(found).T
    step = max(np.abs(np.diff(curve.values)).max() for curve in curves if str(curve.target) == "lamp:turn")
    a_millisecond = step * float(rate.fps) / 1000 if other.name == "firefox" else 0.0  # it counts in whole ones
    np.testing.assert_allclose(turns, values["lamp:turn"], atol=1e-3 + a_millisecond)
    np.testing.assert_allclose(opacities, values["lamp-glow:opacity"], atol=2e-3 + a_millisecond / 20)


def test_stepped_keys_show_at_their_frames_own_time(other, tmp_path):
    scene, rate = glasshouse(), FrameRate.parse("24000/1001")
    (curve,) = curves_of(scene, ("lamp-glow:opacity", 0.2, 0.9))
    values = np.arange(40) % 2 * 0.5 + 0.25
    spec = FORMATS["svg"]
    hand_off = HandOff("Steps", scene, (replace(curve, values=values),), rate, 40)
    file = tmp_path / "steps.svg"
    file.write_bytes(write(hand_off, format=spec, params=spec.params(interpolation="step")).content)
    other.open(file.as_uri())
    found = other.evaluate(STEPS.replace("TIMES", str([float(rate.seconds(frame)) for frame in range(40)])))
    np.testing.assert_allclose(found, values, atol=2e-3)

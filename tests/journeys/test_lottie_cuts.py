"""Clips and masks of drawings in Lottie: a player shows them where a browser shows them in the SVG, as they move."""

import numpy as np
import pytest
from tests.journeys.lottie_drawings import drawing_hand_off, lottie_of, pictures_apart
from tests.journeys.players import lottie_errors
from tests.journeys.test_lottie_pictures import PICTURES, inside
from tests.journeys.test_pages_and_players import page as page  # a fixture

from fern_tide.core.scene.svg.colours import colour_of

SHOWN = (0, 11, 40, 89)
DRAWING = f"""<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 400" width="400" height="400">
<defs>
<clipPath id="board"><rect x="10" y="10" width="380" height="370"/></clipPath>
<clipPath id="ring"><path clip-rule="evenodd" d="M60 20h100v100h-100zM90 50h40v40h-40z"/></clipPath>
<clipPath id="wound"><path d="M200 20h100v100h-100zM230 50v40h40v-40zM240 60h10v10h-10z"/></clipPath>
<clipPath id="two" transform="translate(0 10)"><circle cx="60" cy="200" r="40"/>
<ellipse cx="120" cy="200" rx="40" ry="25" transform="rotate(20 120 200)"/></clipPath>
<rect id="again" x="0" y="0" width="60" height="90" rx="20"/>
<clipPath id="used"><use href="#again" x="200" y="160"/></clipPath>
<clipPath id="shares" clipPathUnits="objectBoundingBox"><circle cx="0.5" cy="0.5" r="0.5"/></clipPath>
<clipPath id="none"/>
<linearGradient id="dim"><stop stop-color="#fff"/><stop offset="1" stop-color="#000"/></linearGradient>
<mask id="faded" maskUnits="userSpaceOnUse" x="20" y="270" width="160" height="100">
<rect x="20" y="270" width="160" height="100" fill="url(#dim)"/></mask>
<mask id="grey" style="mask-type:alpha"><path d="M200 270h120l-60 100z" fill="#404040"/></mask>
<mask id="worn--mask"><g><rect x="60" y="130" width="40" height="20" fill="#fff"/></g></mask>
<mask id="half"><circle cx="340" cy="200" r="40" fill="#fff" opacity="0.5"/>
<circle cx="340" cy="200" r="20" fill="#fff" stroke="#fff" stroke-width="6"/></mask>
<mask id="tiles" maskUnits="userSpaceOnUse" x="302" y="95" width="60" height="40">
<image x="290" y="90" width="100" height="60" preserveAspectRatio="none" href="{inside(PICTURES["1" * 64])}"/></mask>
</defs>
<g id="all" clip-path="url(#board)">
<rect id="under" x="-50" y="-50" width="600" height="600" fill="#20303a"/>
<g clip-path="url(#ring)"><rect x="0" y="0" width="400" height="200" fill="#d9a431"/>
<rect id="bar" x="60" y="60" width="100" height="20" fill="#2c5249"/></g>
<rect id="knot" x="180" y="0" width="200" height="160" fill="#c05030" clip-path="url(#wound)"/>
<g id="pair" clip-path="url(#two)" opacity="0.8"><rect width="400" height="400" fill="#40a0d0"/>
<g clip-path="url(#used)"><rect width="400" height="400" fill="#000"/></g>
<circle id="spot" cx="90" cy="200" r="25" fill="#f0f0f0"/></g>
<g clip-path="url(#used)" transform="translate(10 -5)">
<image id="photo" x="190" y="150" width="100" height="110" href="{inside(PICTURES["1" * 64])}"/></g>
<rect x="300" y="20" width="80" height="60" fill="#70c050" clip-path="url(#shares)"/>
<rect x="280" y="80" width="110" height="80" fill="rgba(255, 255, 255, 0.8)" mask="url(#tiles)"/>
<g color="hsl(40 80% 60%)" id="leaf--mask"><rect x="20" y="130" width="30" height="20" fill="currentColor"/></g>
<g mask="url(#worn--mask)"><rect x="50" y="120" width="40" height="60" fill="#fff"/></g>
<g clip-path="url(#none)"><rect id="unseen" width="400" height="400" fill="#f00"/></g>
<g id="fog" mask="url(#faded)"><rect x="0" y="250" width="400" height="150" fill="#f0f0f0"/>
<rect id="stripe" x="60" y="250" width="20" height="150" fill="#c02010"/></g>
<g mask="url(#grey)"><rect id="flag" x="190" y="260" width="150" height="120" fill="#60d0a0"/></g>
<circle id="moon" cx="340" cy="200" r="60" fill="#f0e0a0" mask="url(#half)"/>
</g></svg>""".encode()
ENDS = {
    "bar:y": (-20, 40),
    "knot:turn": (0, 30),
    "knot:fill": ("#c05030", "#3050c0"),
    "pair:x": (0, 30),
    "pair:opacity": (0.8, 0.4),
    "spot:scale_x": (0.5, 2.0),
    "photo:turn": (0, 40),
    "stripe:x": (-30, 80),
    "stripe:opacity": (0.3, 1.0),
    "flag:scale_y": (0.5, 1.2),
    "moon:y": (-20, 20),
    "all:turn": (0, 12),
    "unseen:x": (0, 50),
}


@pytest.fixture(scope="module")
def shown():
    return drawing_hand_off("cuts", DRAWING, ENDS)


@pytest.fixture(scope="module")
def written(shown):
    return lottie_of(shown)


def test_it_is_what_its_schema_says(written, tmp_path):
    assert lottie_errors(written.content, tmp_path / "scene.json") == []


def test_a_player_cuts_as_a_browser_does(written, shown, page):
    both = pictures_apart(page, written, shown, SHOWN)
    for frame, (_, apart) in both.items():
        assert apart.mean() < 0.5 and (apart > 30).mean() < 0.002, frame
    assert np.abs(both[0][0] - both[40][0]).max(axis=2).mean() > 2, "they move"


COLOURS = (
    "#4a7c3a", "#abc", "#abcd", "#11223380", "teal", "rgb(10, 200, 30)", "rgb(10 200 30 / 50%)", "rgba(0,0,0,.5)",
    "rgb(10%, 20%, 30%)", "hsl(120 40% 30%)", "hsl(200, 80%, 45%)", "hsla(-30deg, 80%, 45%, 0.25)",
    "hsl(0.5turn 50% 50%)", "HSL(400, 120%, 50%)", "rgb(300, -5, 30)",
)  # fmt: skip


def test_colours_are_those_that_a_browser_reads(page):
    page.set_content("<canvas width=1 height=1></canvas>")
    read = """text => { const context = document.querySelector("canvas").getContext("2d");
        context.clearRect(0, 0, 1, 1); context.fillStyle = text;
        context.fillRect(0, 0, 1, 1); return [...context.getImageData(0, 0, 1, 1).data]; }"""
    for text in COLOURS:
        *rgb, much = page.evaluate(read, text)
        known = colour_of(text)
        assert known is not None, text
        np.testing.assert_allclose(known[1] * 255, much, atol=1, err_msg=text)
        np.testing.assert_allclose(np.array(known[0]) * 255, rgb, atol=1.5 if much == 255 else 3, err_msg=text)
    for text in ("none", "url(#fade)", "hsl(1)", "rgb(a, b, c)", "currentColor", "no colour"):
        assert colour_of(text) is None, text

"""Text of drawings in Lottie: a player shows the letters where a browser shows those of the SVG in the same fonts."""

import json

import numpy as np
import pytest
from tests.journeys.lottie_drawings import drawing_hand_off, lottie_of, pictures_apart
from tests.journeys.players import faces, lottie_errors
from tests.journeys.test_pages_and_players import page as page  # a fixture

from fern_tide.core.formats.lottie_layers import groups_of

SHOWN = (0, 40, 89)
DRAWING = b"""<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 400" width="400" height="400"><defs>
<linearGradient id="fade"><stop stop-color="#d9a431"/><stop offset="1" stop-color="#40a0d0"/></linearGradient>
<clipPath id="word"><text x="20" y="340" font-family="Instrument Sans" font-size="60">BO%</text></clipPath></defs>
<style>.small { font-size: 14px; fill: #f0f0f0; }</style>
<text id="title" x="200" y="50" font-family="Fraunces, serif" font-size="40" text-anchor="middle" fill="url(#fade)">
  The Glasshouse   Hour
</text>
<g font-family="Instrument Sans" font-size="20" fill="#60d0a0">
<text id="two" x="20" y="100">Rain on <tspan id="panes" fill="#d9a431" font-size="1.5em">panes</tspan> and
<tspan x="20" dy="30" letter-spacing="4">wide leaves</tspan><tspan x="380" text-anchor="end" stroke="#c05030"
 fill="none">at the end</tspan></text>
<text x="20 50 80 110" y="180 190" class="small">
<tspan>ab</tspan>cdef <tspan dx="10 0 5" dy="-4">ghi</tspan></text>
<text id="gone" x="20" y="200" visibility="hidden">hidden <tspan display="none">never</tspan></text>
</g>
<g transform="translate(200 240) rotate(-12)" style="font-family: 'Spline Sans Mono', monospace">
<text id="turned" font-size="24" text-anchor="middle" dx="2" fill="#f0e0a0" fill-opacity="0.7"
 word-spacing="8">frame 0042
<tspan x="0" y="34" fill="#fff">{&amp;} &lt;&#233;&#252;&gt;</tspan></text></g>
<text id="huge" y="380" x="10" font-size="90" fill="#2c5249" stroke="#86ab6c" stroke-width="2"
 font-family="Fraunces">&amp;Qj8</text>
<g clip-path="url(#word)"><rect id="behind" y="280" width="400" height="40" fill="#c05030"/></g>
<text id="empty" x="10" y="390"> <tspan id="void" fill="#ff0000"/></text></svg>"""
ENDS = {
    "title:y": (-10, 20),
    "two:opacity": (0.3, 1.0),
    "panes:fill": ("#d9a431", "#3050c0"),
    "turned:turn": (0, 20),
    "turned:fill_opacity": (0.3, 1.0),
    "huge:scale_x": (0.6, 1.2),
    "huge:stroke_width": (0, 5),
    "gone:x": (0, 10),
    "behind:y": (-10, 20),
    "void:fill": ("#ff0000", "#00ff00"),
}


@pytest.fixture(scope="module")
def shown():
    return drawing_hand_off("words", DRAWING, ENDS)


@pytest.fixture(scope="module")
def written(shown):
    return lottie_of(shown)


def test_it_is_what_its_schema_says(written, tmp_path):
    assert lottie_errors(written.content, tmp_path / "scene.json") == []


def test_a_player_writes_as_a_browser_does(written, shown, page):
    both = pictures_apart(page, written, shown, SHOWN, faces())
    for frame, (_, apart) in both.items():
        assert apart.mean() < 0.6 and (apart > 60).mean() < 0.003, frame
    assert np.abs(both[0][0] - both[40][0]).max(axis=2).mean() > 0.3, "they move"


def test_a_run_with_an_opacity_of_its_own_keeps_it_while_the_text_s_moves(written):
    items = (item for group in groups_of(json.loads(written.content)) for item in group["it"])
    assert sum(item["ty"] == "fl" and item["o"]["a"] for item in items) == 1

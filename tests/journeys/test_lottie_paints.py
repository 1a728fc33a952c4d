"""Gradients of drawings in Lottie, as design programs write them: a player shows them as a browser shows the SVG."""

import numpy as np
import pytest
from tests.journeys.lottie_drawings import drawing_hand_off, lottie_of, pictures_apart
from tests.journeys.players import lottie_errors
from tests.journeys.test_pages_and_players import page as page  # a fixture

SHOWN = (0, 40, 89)
DRAWING = b"""<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 400 400"
width="400" height="400"><defs>
<linearGradient id="shades"><stop id="low" stop-color="#204030"/>
<stop id="mid" offset="0.4" stop-color="#d9b44a" stop-opacity="0.6"/>
<stop offset="0.3" stop-color="#f0f0f0"/><stop offset="120%" stop-color="#c05030"/></linearGradient>
<linearGradient id="in-px" xlink:href="#shades" x1="20" y1="20" x2="120" y2="60" gradientUnits="userSpaceOnUse"/>
<linearGradient id="again" href="#in-px" gradientTransform="matrix(1 0.3 -0.6 0.8 120 -10)"/>
<linearGradient id="slanted" xlink:href="#shades" x1="0" y1="0" x2="1" y2="1"/>
<linearGradient id="leaning" xlink:href="#shades" gradientTransform="rotate(30) skewX(20)"/>
<radialGradient id="round" xlink:href="#shades" cx="75" cy="180" r="50" fx="55" fy="165"
 gradientUnits="userSpaceOnUse"/>
<radialGradient id="wide" xlink:href="#shades"/>
<radialGradient id="turned" xlink:href="#shades" cx="0" cy="0" r="1" gradientUnits="userSpaceOnUse"
 gradientTransform="translate(335 175) rotate(50) scale(60 25)"/>
<linearGradient id="striped" xlink:href="#two" x1="20" x2="45" y1="0" y2="10" gradientUnits="userSpaceOnUse"
 spreadMethod="reflect"/>
<linearGradient id="sawn" xlink:href="#two" x1="0.1" x2="0.3" spreadMethod="repeat"/>
<radialGradient id="rings" xlink:href="#two" r="0.1" spreadMethod="reflect"/>
<linearGradient id="two"><stop offset="0.2" stop-color="#102030"/>
<stop id="high" offset="0.9" stop-color="#e0e0f0"/></linearGradient>
<linearGradient id="self" xlink:href="#self"/><linearGradient id="one" xlink:href="#single"/>
<linearGradient id="single">
<stop id="glass" offset="0.5" stop-color="rgba(64,160,208,0.6)" stop-opacity="0.5"/></linearGradient>
</defs>
<rect id="a" x="10" y="10" width="110" height="70" fill="url(#in-px)"/>
<rect x="140" y="10" width="110" height="70" fill="url(#again)"/>
<rect x="270" y="10" width="120" height="50" fill="url(#slanted)"/>
<rect x="270" y="65" width="120" height="40" fill="url(#leaning)" stroke="#fff" stroke-width="3"/>
<rect id="b" x="10" y="120" width="120" height="120" fill="url(#round)"/>
<path d="M140 120h120v60h-120zM150 130v20h20v-20z" fill="url(#wide)" stroke="url(#slanted)" stroke-width="6"/>
<path id="c" d="M270 120h120l-20 110h-90z" fill="url(#turned)"/>
<rect x="10" y="250" width="120" height="60" fill="url(#striped)"/>
<rect x="140" y="250" width="120" height="60" fill="url(#sawn)"/>
<rect id="d" x="270" y="250" width="120" height="80" fill="url(#rings)"/>
<rect x="10" y="330" width="50" height="50" fill="url(#self)"/>
<rect x="70" y="330" width="50" height="50" fill="url(#one)" stroke="url(#round)" stroke-width="4"/>
<line x1="140" y1="350" x2="260" y2="350" stroke="url(#slanted)" stroke-width="8"/>
<rect id="bar" x="10" y="85" width="80" height="20" rx="6" fill="#60d0a0" stroke="#fff"
 stroke-width="2" stroke-dasharray="12 6"/>
<rect id="box" x="140" y="88" width="20" height="20" fill="#a06030"/>
<rect id="oval" x="170" y="86" width="60" height="24" rx="9" ry="12" fill="#fff"/>
<line id="wire" x1="140" y1="360" x2="200" y2="385" stroke="#d0d040" stroke-width="3"/>
<line x1="140" y1="390" x2="260" y2="390" stroke="#fff" stroke-width="6" stroke-dasharray="0 10"
 stroke-linecap="round"/>
<path id="whole" d="M140 395h100" stroke="#fff" stroke-dasharray="0"/>
<circle id="dot" cx="230" cy="370" r="9" fill="#f06090"/>
<g fill="url(#slanted)"><ellipse id="egg" cx="330" cy="365" rx="55" ry="25"/></g>
</svg>"""
ENDS = {
    "a:x": (-10, 10),
    "b:turn": (0, 40),
    "c:scale_x": (0.6, 1.0),
    "d:y": (-10, 20),
    "low:stop_colour": ("#204030", "#8020a0"),
    "high:stop_colour": ("#e0e0f0", "#30d080"),
    "mid:stop_offset": (0.2, 0.9),
    "mid:stop_opacity": (0.2, 1.0),
    "glass:stop_opacity": (0.2, 1.0),
    "bar:box_width": (20, 100),
    "bar:radius_x": (0, 30),
    "bar:dash_offset": (0, 40),
    "whole:dash_offset": (0, 9),
    "box:left": (130, 145),
    "box:box_height": (4, 22),
    "oval:radius_y": (0, 14),
    "wire:x2": (150, 250),
    "dot:radius": (2, 20),
    "egg:radius_y": (5, 30),
}


@pytest.fixture(scope="module")
def shown():
    return drawing_hand_off("paints", DRAWING, ENDS)


@pytest.fixture(scope="module")
def written(shown):
    return lottie_of(shown)


def test_it_is_what_its_schema_says(written, tmp_path):
    assert lottie_errors(written.content, tmp_path / "scene.json") == []


def test_a_player_paints_as_a_browser_does(written, shown, page):
    both = pictures_apart(page, written, shown, SHOWN)
    for frame, (_, apart) in both.items():
        assert apart.mean() < 0.9 and (apart > 30).mean() < 0.002, frame
    assert np.abs(both[0][0] - both[40][0]).max(axis=2).mean() > 0.3, "they move"

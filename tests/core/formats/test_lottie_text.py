"""Text as outlines: where letters stand, worked out by hand from the widths of the shipped fonts."""

import xml.etree.ElementTree as ET

import numpy as np
import pytest

from fern_tide.core.formats.lottie_text import box_of_runs, font_of, runs_of
from fern_tide.core.scene.lettering import glyph_loops
from fern_tide.core.scene.parts.text import Font

WIDE = 10 * glyph_loops("H", "mono")[0]
H = 10 * min(loop[:, 0].min() for loop in glyph_loops("H", "mono")[1])


@pytest.mark.parametrize(
    ("text", "left"),
    [
        ('<text x="5">H</text>', 5),
        ("<text>\n   H</text>", 0),
        ("<text>a  \n H</text>", 2 * WIDE),
        ('<text x="50" text-anchor="end">HH</text>', 50 - WIDE),
        ('<text x="50" text-anchor="middle" letter-spacing="3">HH</text>', 50),
        ('<text x="50" dx="4" text-anchor="end">H</text>', 54 - WIDE),
        ('<text letter-spacing="0.5em">aH</text>', WIDE + 5),
        ('<text word-spacing="7">a H</text>', 2 * WIDE + 7),
        ('<text x="0 30">aH</text>', 30),
        ('<text x="0 30"> \n a\n H</text>', 30 + WIDE),
        ('<text x="0 9 30"><tspan>a</tspan><tspan>bH</tspan></text>', 30),
        ('<text x="9 9"><tspan x="70">H</tspan></text>', 70),
        ('<text>a<tspan display="none">bcd</tspan>H</text>', WIDE),
        ('<text>a<textPath>bcd</textPath>H</text>', WIDE),
        ('<text>a<tspan font-size="200%">b</tspan>H</text>', 3 * WIDE),
        ("<text>a<tspan>b</tspan>H</text>", 2 * WIDE),
    ],
)  # fmt: skip
def test_a_letter_stands_where_svg_puts_it(text, left):
    runs = runs_of(ET.fromstring(text), {"font-family": "monospace", "font-size": "10"})
    letters = glyph_loops("H", "mono")[1]
    last = np.concatenate(runs[-1].loops[-len(letters) :])
    scale = (np.ptp(last[:, 0])) / np.ptp(np.concatenate(letters)[:, 0])
    assert scale == pytest.approx(10)
    assert last[:, 0].min() == pytest.approx(left + H, abs=1e-6)


def test_lines_go_down_and_stretches_are_painted_by_themselves():
    text = ET.fromstring(
        '<text y="20">H<tspan x="0" dy="1.5em" fill="red">H</tspan><tspan dominant-baseline="hanging">H</tspan></text>'
    )
    runs = runs_of(text, {"font-family": "monospace", "font-size": "10"})
    feet = [max(loop[:, 1].max() for loop in run.loops) for run in runs]
    assert [[one.tag for one in run.elements] for run in runs] == [[], ["tspan"], ["tspan"]]
    assert feet == [pytest.approx(20), pytest.approx(35), pytest.approx(35 + 7.2)]
    ((left, top, right, low),) = box_of_runs(runs)
    assert (left, low) == (pytest.approx(H), pytest.approx(42.2)) and 10 < top < 20 and right > 9
    assert runs_of(ET.fromstring("<text> <tspan/> </text>")) == [] == box_of_runs([])


def test_the_nearest_font_of_ours():
    assert font_of("Fraunces, sans-serif") is Font.SERIF and font_of("'Instrument Sans', serif") is Font.SANS
    assert font_of("Times New Roman") is Font.SERIF and font_of("Courier New, monospace") is Font.MONO
    assert font_of("Helvetica, Arial, sans-serif") is Font.SANS is font_of("")
    assert font_of("Menlo, 'Spline Sans Mono'") is Font.MONO

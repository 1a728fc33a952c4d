"""Gradients in Lottie: at every place of a shape the colour is that of SVG's own formula; what moves is read back."""

import xml.etree.ElementTree as ET

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import KeyParams
from fern_tide.core.formats.lottie_gradients import Gradients, read_stops
from fern_tide.core.formats.lottie_paints import dashes_of

NUMBER = st.floats(-3, 3).map(lambda value: round(value, 3))
MATRIX = st.tuples(NUMBER, NUMBER, NUMBER, NUMBER, NUMBER, NUMBER)
STOPS = '<stop stop-color="#000"/><stop offset="1" stop-color="#fff"/>'
BOX = (10.0, 20.0, 90.0, 60.0)


def item(inside, name="a", kind="gf", boxes=(BOX,), motions=None):
    root = ET.fromstring(f'<svg viewBox="0 0 200 100">{inside}</svg>')
    return Gradients(root, KeyParams(), lambda stop: (motions or {}).get(stop.get("id"), ("-", {}))).item(
        kind, name, 1.0, boxes
    )


def along(item, points):
    """How far along a straight gradient places are, as a player lays it."""
    start, end = (np.array(item[name]["k"]) for name in ("s", "e"))
    way = end - start
    return (points - start) @ way / (way @ way)


@given(matrix=MATRIX, ends=st.tuples(NUMBER, NUMBER, NUMBER, NUMBER))
def test_a_straight_gradient_has_each_colour_where_svg_has_it(matrix, ends):
    a, b, c, d, e, f = matrix
    way = np.array(ends[2:]) - ends[:2]
    assume(abs(a * d - b * c) > 0.05 and way @ way > 0.05)
    x1, y1, x2, y2 = ends
    drawn = item(
        f'<linearGradient id="a" x1="{x1}" y1="{y1}" x2="{x2}" y2="{y2}" gradientUnits="userSpaceOnUse" '
        f'gradientTransform="matrix({a} {b} {c} {d} {e} {f})">{STOPS}</linearGradient>'
    )
    places = np.array([[0.0, 0.0], [50, 20], [-30, 70], [12, 12]])
    own = np.linalg.solve(np.array([[a, c], [b, d]]), (places - [e, f]).T).T  # in the gradient's own coordinates
    np.testing.assert_allclose(along(drawn, places), (own - ends[:2]) @ way / (way @ way), rtol=1e-5, atol=1e-5)


def test_shares_of_a_box_that_is_not_square_lean_with_it():
    drawn = item(f'<linearGradient id="a" x2="1" y2="1">{STOPS}</linearGradient>')
    corners = np.array([[10.0, 20.0], [90, 20], [10, 60], [90, 60]])
    np.testing.assert_allclose(along(drawn, corners), [0, 0.5, 0.5, 1], atol=1e-6)


def test_percentages_are_shares_of_what_is_seen():
    drawn = item(f'<linearGradient id="a" gradientUnits="userSpaceOnUse" x1="50%">{STOPS}</linearGradient>')
    assert drawn["s"]["k"] == [100, 0] and drawn["e"]["k"] == [200, 0]
    drawn = item(f'<radialGradient id="a" gradientUnits="userSpaceOnUse" r="10%">{STOPS}</radialGradient>')
    assert drawn["s"]["k"] == [100, 50]
    assert drawn["e"]["k"][0] == pytest.approx(100 + 0.1 * np.sqrt((200**2 + 100**2) / 2))


def test_an_ellipse_has_a_frame_in_a_fill_and_is_round_in_a_stroke():
    ellipse = (
        '<radialGradient id="a" cx="0" cy="0" r="1" gradientUnits="userSpaceOnUse" fx="0.5" '
        f'gradientTransform="matrix(0 40 -10 0 50 30)">{STOPS}</radialGradient>'
    )
    fill, stroke = item(ellipse), item(ellipse, kind="gs")
    assert fill["frame"] == (0, 40, -10, 0, 50, 30) and (fill["s"]["k"], fill["e"]["k"]) == ([0, 0], [1, 0])
    assert "frame" not in stroke and stroke["s"]["k"] == [50, 30]
    np.testing.assert_allclose(stroke["e"]["k"], [50, 30 + 20], atol=1e-9)  # as large as 40 by 10 on the whole
    assert (fill["h"]["k"], fill["a"]["k"]) == (50, 0) == (stroke["h"]["k"], stroke["a"]["k"])
    turned = item(ellipse.replace("matrix(0 40 -10 0 50 30)", "translate(50 30) rotate(90) scale(7)"))
    assert "frame" not in turned and turned["e"]["k"] == pytest.approx([50, 37])


@pytest.mark.parametrize(
    ("inside", "none"),
    [
        ('<linearGradient id="a"/>', True),
        (f'<linearGradient id="a" gradientTransform="scale(0)">{STOPS}</linearGradient>', True),
        (f'<linearGradient id="b">{STOPS}</linearGradient>', True),
        (f'<linearGradient id="a" href="#b"/><radialGradient id="b" href="#a">{STOPS}</radialGradient>', False),
        (f'<linearGradient id="a" x1="0.5" x2="0.5">{STOPS}</linearGradient>', False),
    ],
    ids=["no stops", "flat", "not there", "in a circle", "no way"],
)
def test_what_paints_nothing(inside, none):
    assert (item(inside) is None) == none
    flat = item(f'<linearGradient id="a">{STOPS}</linearGradient>', boxes=((10.0, 20.0, 90.0, 20.0),))
    assert flat is None, "a line has no box that shares could be of"


def test_without_a_way_all_is_the_last_colour():
    for kind in ('linearGradient id="a" x1="0.5" x2="0.5"', 'radialGradient id="a" r="0"'):
        drawn = item(f"<{kind}>{STOPS}</{kind.split()[0]}>")
        start, end = (np.array(drawn[name]["k"]) for name in ("s", "e"))
        far = np.hypot(*(np.array(BOX[:2]) - start)) if drawn["t"] == 2 else along(drawn, np.array(BOX[:2]))
        assert far > (np.hypot(*(end - start)) if drawn["t"] == 2 else 1)


def test_what_moves_in_stops_is_read_back_whatever_is_repeated_or_hidden():
    n = 7
    curves = {
        "offset": np.linspace(0.1, 0.7, n),
        "stop-opacity": np.linspace(1, 0.25, n),
        "stop-color": np.linspace([1.0, 0, 0], [0, 0.5, 1], n).T,
    }
    moved = {
        name: Curve(Target(part="one", property="p"), "One", "P", "", "number", values)
        for name, values in curves.items()
    }
    inside = (
        '<stop offset="0.05"/><stop id="one" offset="0.1" stop-color="#f00"/><stop offset="0.4" stop-color="#00f"/>'
    )
    for spread in ("pad", "repeat", "reflect"):
        drawn = item(
            f'<linearGradient id="a" x1="0.2" x2="0.5" spreadMethod="{spread}">{inside}</linearGradient>',
            motions={"one": ("one", moved)},
        )
        assert (drawn["g"]["p"] > 3) == (spread != "pad")
        read = read_stops({"it": [drawn]}, n)
        for name, values in curves.items():
            np.testing.assert_allclose(read["one", name], values, atol=1e-8, err_msg=f"{spread} {name}")
        places = np.array([[key["s"][4 * at] for at in range(drawn["g"]["p"])] for key in drawn["g"]["k"]["k"]])
        assert (np.diff(places, axis=1) >= 0).all(), "no stop lies before the one before it"


def test_dashes_are_those_of_svg():
    assert dashes_of("5, 3.5 2") == [5, 3.5, 2] and dashes_of("0 8") == [0, 8], "dots"
    assert all(dashes_of(text) == [] for text in ("none", "", "0", "0 0", "5 -1", "5 x"))

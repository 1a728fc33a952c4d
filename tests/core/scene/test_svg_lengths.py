"""Lengths, colours, places and transforms, as SVG and CSS write them."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fern_tide.core.scene.svg.bounds import shape_box
from fern_tide.core.scene.svg.colours import colour
from fern_tide.core.scene.svg.geometry import length, matrix_of, place


@pytest.mark.parametrize(
    ("text", "expected"),
    [("12", 12), ("1.5px", 1.5), ("72pt", 96), ("1in", 96), ("25.4mm", 96), ("-.5e1", -5), ("50%", None), ("", None)],
)
def test_lengths_are_read_in_px(text, expected):
    assert length(text) == (None if expected is None else pytest.approx(expected))


@pytest.mark.parametrize(
    ("text", "expected"),
    [("#F0a", "#ff00aa"), ("rgb(1, 2,3)", "#010203"), ("hsl(120,100%,50%)", "#00ff00"), ("none", None), ("x", None)],
)
def test_colours_are_read_as_css_writes_them(text, expected):
    assert colour(text) == expected


NUMBERS = st.floats(-50, 50).map(lambda value: round(value, 3))


@given(x=NUMBERS, y=NUMBERS, turn=NUMBERS, wide=NUMBERS, tall=NUMBERS, ax=NUMBERS, ay=NUMBERS)
def test_a_place_moves_the_anchor_by_x_and_y_and_nothing_else_moves_it(x, y, turn, wide, tall, ax, ay):
    a, b, c, d, e, f = matrix_of(place((x, y, turn, wide, tall), anchor=(ax, ay), base=""))
    np.testing.assert_allclose((a * ax + c * ay + e, b * ax + d * ay + f), (ax + x, ay + y), atol=2e-3)
    np.testing.assert_allclose(a * d - b * c, wide * tall, atol=2e-3)


def test_transforms_multiply_in_order():
    assert matrix_of("translate(10) scale(2)") == (2, 0, 0, 2, 10, 0)
    np.testing.assert_allclose(matrix_of("rotate(90 10 0)"), (0, 1, -1, 0, 10, -10), atol=1e-12)
    np.testing.assert_allclose(matrix_of("matrix(1 2 3 4 5 6),skewX(45)"), (1, 2, 4, 6, 5, 6), atol=1e-12)
    assert matrix_of("nonsense(3)") == (1, 0, 0, 1, 0, 0)


def test_where_a_path_without_end_lies_is_not_looked_for():
    assert shape_box("path", {"d": "M0 0L9 9"}) == (0, 0, 9, 9)
    assert shape_box("path", {"d": "M0 0" + "L9 9" * 300_000}) is None

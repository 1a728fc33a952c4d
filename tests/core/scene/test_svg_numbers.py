"""Which attributes of SVG hold numbers, by the specification's own examples and by what browsers complain of."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fern_tide.core.scene.svg.numbers import holds_numbers
from fern_tide.core.scene.svg.reading import read_svg


@pytest.mark.parametrize(
    ("tag", "name", "value"),
    [
        ("rect", "width", "10"), ("rect", "width", " +.5e1px "), ("rect", "x", "-3.5%"), ("rect", "width", "auto"),
        ("rect", "width", "5."), ("text", "x", "1,2 3-4"), ("text", "x", ""), ("circle", "r", "-0"),
        ("rect", "rx", "1Q"), ("rect", "width", "calc(50% - 2px)"),
        ("path", "d", "M0-1.5.5L1e-3,2zm1 1"), ("path", "d", ""), ("path", "d", "none"),
        ("polygon", "points", "1,2 3.5-4.5.5 6"), ("g", "transform", "rotate(30 1,2) skewX(-4)"),
        ("g", "opacity", "50%"), ("g", "opacity", "inherit"), ("stop", "offset", ".3"), ("g", "data-width", "wide"),
    ],
)  # fmt: skip
def test_numbers(tag, name, value):
    assert holds_numbers(tag, name, value)


@pytest.mark.parametrize(
    ("tag", "name", "value"),
    [
        ("rect", "width", "NaN"), ("rect", "height", "1e999"), ("rect", "x", "abc"), ("rect", "width", "-4"),
        ("circle", "r", "ten"), ("circle", "cy", "Infinity"), ("rect", "x", "1,2"), ("path", "d", "M0 0LNaN 5"),
        ("polygon", "points", "1,2 x,4"), ("text", "x", "1,,2"), ("g", "transform", "rotate(NaN)"),
        ("g", "opacity", "foo"),
    ],
)  # fmt: skip
def test_no_numbers(tag, name, value):
    assert not holds_numbers(tag, name, value)


@given(st.lists(st.floats(-1e6, 1e6), min_size=1, max_size=9))
def test_all_that_is_written_as_a_number_is_one(numbers):
    words = [repr(number) for number in numbers]
    assert holds_numbers("polygon", "points", " ".join(words))
    assert holds_numbers("rect", "x", words[0]) and holds_numbers("rect", "x", f"{numbers[0]:.3e}px")


def test_what_holds_none_is_left_out_and_that_is_said():
    drawing = read_svg(b'<svg xmlns="http://www.w3.org/2000/svg"><rect id="r" width="NaN" height="4"/></svg>')
    assert drawing.nodes[1].attributes == {"id": "r", "height": "4"}
    assert any("width that is no number" in note for note in drawing.notes)

"""Units convert in one place; params describe themselves and refuse what is not possible."""

from enum import StrEnum
from typing import Annotated

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import Field

from fern_tide.core.base.errors import InvalidParameter, UnknownParameter
from fern_tide.core.base.naming import lowered, plural
from fern_tide.core.base.params import Params, build, fields, parse_options, unit, words
from fern_tide.core.base.signal import fingerprint
from fern_tide.core.base.target import Target
from fern_tide.core.base.units import FLOOR_DB, from_db, parse_level, to_db


class Colour(StrEnum):
    RED = "red"
    DARK_BLUE = "dark_blue"


class Example(Params):
    width_ms: Annotated[float, Field(ge=0, le=100), unit("ms", "How wide.", step=5)] = 20.0
    count: Annotated[int, Field(ge=1), unit("", "How many.")] = 3
    colour: Annotated[Colour, unit("", "Which.")] = Colour.RED
    loud: Annotated[bool, unit("", "Whether.")] = False


def test_full_scale_is_0_db_and_half_is_minus_6():
    assert to_db(1.0) == 0.0
    assert to_db(0.5) == pytest.approx(-6.0206, abs=1e-4)
    assert to_db(0.0) == FLOOR_DB
    assert from_db(FLOOR_DB) == 0.0


@given(st.floats(-119.9, 60))
def test_db_and_back_is_the_same(db):
    assert to_db(from_db(db)) == pytest.approx(db, abs=1e-9)


@pytest.mark.parametrize(
    ("text", "level", "in_db"),
    [
        ("-30dB", 10**-1.5, True),
        ("0 db", 1.0, True),
        ("0.25", 0.25, False),
        ("25%", 0.25, False),
        ("12.5 %", 0.125, False),
    ],
)
def test_a_level_is_read_from_text(text, level, in_db):
    assert parse_level(text) == (pytest.approx(level), in_db)


@pytest.mark.parametrize("text", ["", "loud", "-0.5", "nan", "infdB", "%", "-5%"])
def test_a_level_that_is_none_is_refused(text):
    with pytest.raises(InvalidParameter, match="Use a level such as"):
        parse_level(text)


def test_fields_say_everything_that_a_form_needs():
    width, count, colour, loud = fields(Example)
    assert (width.label, width.unit, width.low, width.high, width.step) == ("Width", "ms", 0.0, 100.0, 5)
    assert (count.kind, count.step, count.range_text) == ("integer", 1.0, "at least 1")
    assert colour.choices == (("red", "Red"), ("dark_blue", "Dark blue"))
    assert (loud.kind, loud.default) == ("switch", False)


def test_a_value_out_of_range_names_the_field_and_the_range():
    with pytest.raises(InvalidParameter, match="Width is 200, which is not possible. Use 0 to 100 ms"):
        build(Example, {"width_ms": "200"})


def test_an_unknown_name_lists_the_known_ones():
    with pytest.raises(UnknownParameter, match="no parameter named witdh. Use one of: width_ms, count"):
        build(Example, {"witdh": 3})


def test_nan_is_no_value():
    with pytest.raises(InvalidParameter, match="Width"):
        build(Example, {"width_ms": float("nan")})


def test_options_are_read_from_text():
    assert parse_options("band low_hz=40 high_hz='180'") == ("band", {"low_hz": "40", "high_hz": "180"})
    with pytest.raises(InvalidParameter, match="name=value"):
        parse_options("band low_hz")


def test_words_drop_the_unit():
    assert words("rise_ms") == "Rise"
    assert words("clean_up") == "Clean up"


@pytest.mark.parametrize("text", ["lamp", ":", "lamp:", "Lamp:turn", "lamp:turn:x y", "../x:y"])
def test_a_target_that_is_none_is_refused(text):
    with pytest.raises(InvalidParameter, match="PART:PROPERTY"):
        Target.parse(text)


def test_equal_inputs_have_equal_fingerprints_whatever_their_order():
    assert fingerprint({"a": 1, "b": [2.5, None]}) == fingerprint({"b": [2.5, None], "a": 1})
    assert fingerprint({"a": 1}) != fingerprint({"a": 2})
    with pytest.raises(ValueError, match="JSON"):
        fingerprint({"a": np.nan})


@pytest.mark.parametrize(
    ("name", "many"),
    [
        ("Bar", "Bars"), ("Leaf", "Leaves"), ("Knife", "Knives"), ("Glass", "Glass"), ("Box", "Boxes"),
        ("Branch", "Branches"), ("Fly", "Flies"), ("Ray", "Rays"), ("y", "ys"), ("Roof", "Roofs"),
    ],
)  # fmt: skip
def test_several_of_a_name_are_called_as_one_would(name, many):
    assert plural(name) == many


def test_a_name_within_a_sentence_begins_small_but_for_short_capitals():
    assert [lowered(name) for name in ("Lamp bulb", "LED", "bar_row", "NEON")] == [
        "lamp bulb",
        "LED",
        "bar row",
        "neon",
    ]

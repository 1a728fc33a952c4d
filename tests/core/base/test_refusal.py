"""Whatever a model refuses is said in the field's label, the value and what is allowed; never by an inner path."""

import pytest

from fern_tide.core.base.errors import InvalidParameter, UnknownParameter
from fern_tide.core.base.params import build
from fern_tide.core.commands.registry import read_command
from fern_tide.core.envelope.readings.band import BandParams
from fern_tide.core.mapping.marks import HIGHEST, Marks, Scale, suggest_marks
from fern_tide.core.mapping.recipe import read_recipes

MAPPING = {
    "id": "m",
    "name": "Lamp",
    "envelope": "drip",
    "marks": {"low": 0.1, "high": 0.5},
    "drives": [{"target": {"part": "lamp", "property": "turn"}, "rest": 0, "full": 8}],
}


def changed(path: str, value: object) -> dict:
    """A command that puts the mapping, with one value changed."""
    plain = {
        "kind": "put_mapping",
        "mapping": {**MAPPING, "marks": {**MAPPING["marks"]}, "drives": [{**MAPPING["drives"][0]}]},
    }
    at = plain
    *way, last = path.split(".")
    for part in way:
        at = at[int(part)] if part.isdigit() else at[part]
    at[last] = value
    return plain


REFUSED = {
    "mapping.drives.0.full": [
        (2e9, "At full is 2e+09, which is not possible. Use -1000000000 to 1000000000."),
        ("reddish", "At full is reddish, which is not possible. Use a colour such as #d9a431."),
        ("#12", "At full is #12, which is not possible. Use a colour such as #d9a431."),
        ([1], "At full is something else, which is not possible."),
    ],
    "mapping.drives.0.late_frames": [(1e6, "Late is 1e+06, which is not possible. Use -10000 to 10000.")],
    "mapping.drives.0.stacking": [
        ("heap", "Stacking is heap, which is not possible. Use one of replace, add, multiply.")
    ],
    "mapping.marks.low": [(17, "Low water is 17, which is not possible. Use 0 to 16.")],
    "mapping.marks.high": [(0, "High water is 0, which is not possible. Use more than 0, at most 16.")],
    "mapping.name": [("x" * 300, "Name is x"), (7, "Name is 7, which is not possible. Use")],
    "mapping.marks": [(None, "Marks is None")],
    "mapping.steps": [
        ([{"id": "flip"}] * 65, "Steps is 65 entries, which is not possible. Use at most 64 entries."),
    ],
    "mapping.drives": [([], "Drives is 0 entries, which is not possible. Use at least 1 entry.")],
}


@pytest.mark.parametrize(("path", "value", "words"), [(p, v, w) for p, cases in REFUSED.items() for v, w in cases])
def test_a_command_that_cannot_be_is_refused_in_words(path, value, words):
    with pytest.raises(InvalidParameter) as refused:
        read_command(changed(path, value))
    said = str(refused.value)
    assert said.startswith(words)
    assert "mapping." not in said and "constrained" not in said and "put_" not in said and "[" not in said


def test_what_is_missing_and_what_is_unknown_are_named():
    plain = changed("mapping.name", "Lamp")
    del plain["mapping"]["envelope"]
    with pytest.raises(InvalidParameter, match="Envelope is missing"):
        read_command(plain)
    with pytest.raises(UnknownParameter, match=r"no parameter named colour. Use one of: envelope, row"):
        read_command(changed("mapping.colour", 1))
    with pytest.raises(InvalidParameter, match="which is not possible"):
        read_command({"kind": "put_everything"})


def test_a_param_is_refused_by_its_label_and_keeps_its_own_name():
    with pytest.raises(InvalidParameter, match=r"Low is -4, which is not possible. Use 0 to 96000 Hz") as refused:
        build(BandParams, {"low_hz": -4})
    assert refused.value.data == {"name": "low_hz", "value": "-4"}
    with pytest.raises(InvalidParameter, match=r"High is 40, .* more than Low, 400 Hz"):
        build(BandParams, {"low_hz": 400, "high_hz": 40})


def test_recipes_that_cannot_be_read_say_what_is_wrong():
    content = b'{"format": "fern-tide recipes", "version": 1, "recipes": [{"name": 5}]}'
    with pytest.raises(Exception, match="recipe") as refused:
        read_recipes(content)
    assert "recipes.0" not in str(refused.value)


def test_marks_suggested_for_levels_beyond_what_marks_can_be_are_the_highest_there_are():
    import numpy as np

    for level in (np.linspace(0, 90, 400), np.full(100, 40.0), np.tile([0.1, 50.0], 50)):
        for scale in Scale:
            marks = suggest_marks(level, scale=scale).marks
            assert isinstance(marks, Marks) and 0 < marks.low < marks.high <= HIGHEST

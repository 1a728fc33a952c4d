"""Everything gives what it always gave, kept as readable text; what these texts say was held against judges elsewhere.

After a change that is meant: python -m tests.golden.test_snapshots
"""

import re
from pathlib import Path

import pytest
from tests.golden.answers import refusals, suggestions
from tests.golden.cuts import first_cuts, geometry, lottie, places
from tests.golden.edits import EDITS, edits
from tests.golden.forms import forms
from tests.golden.snapshots import beats, formats, imports, parts, readings, specs

from fern_tide.core.commands.registry import COMMANDS

FOLDER = Path(__file__).parent
LOOKS = (first_cuts, forms, geometry, lottie, places)
TEXTS = (beats, edits, formats, imports, parts, readings, refusals, specs, suggestions, *LOOKS)
ALL = {one.__name__: one for one in TEXTS}
NUMBER = re.compile(r"-?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?")


def same(line: str, other: str) -> bool:
    """Say whether two lines have the same words, and numbers that are the same but for rounding."""
    if line == other:
        return True
    if NUMBER.sub("#", line) != NUMBER.sub("#", other):
        return False
    pairs = zip(map(float, NUMBER.findall(line)), map(float, NUMBER.findall(other)), strict=True)
    return all(abs(a - b) <= 1e-3 * max(abs(a), abs(b)) + 2e-5 for a, b in pairs)


@pytest.mark.parametrize("name", ALL)
def test_it_gives_what_it_always_gave(name):
    kept, now = (FOLDER / f"{name}.txt").read_text().splitlines(), list(ALL[name]())
    apart = [f"{a}\n{b}" for a, b in zip(kept, now, strict=False) if not same(a, b)]
    assert not apart, "\n".join(apart[:5])
    assert len(kept) == len(now)


def test_every_kind_of_edit_is_made():
    every = [*EDITS, *(one for plain in EDITS for one in plain.get("commands", ()))]
    assert {plain["kind"] for plain in every} == COMMANDS.keys()


def test_a_number_that_is_off_is_seen_and_rounding_is_not():
    assert same("x 1.00001 y", "x 1.00002 y") and not same("x 1.01 y", "x 1.02 y") and not same("x 1", "y 1")


if __name__ == "__main__":
    for name, lines in ALL.items():
        (FOLDER / f"{name}.txt").write_text("\n".join(lines()) + "\n")

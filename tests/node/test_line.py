"""A line from the page's worker: what is asked is answered; one that breaks off, or is not to be had, is told."""

import struct
from pathlib import Path

HERE = Path(__file__).parent / "line"


def test_answers_come_with_their_status_and_without_it_in_their_bytes(modules):
    told = modules(HERE, "asked", [[[1, 2], 200, [7, 8, 9, 10]], [[3], 410, [11]], [[], 200, []]])
    assert told["sent"] == [[1, 2], [3], []] and told["answers"] == [[200, 7, 8, 9, 10], [410, 11], [200]]
    assert told["url"] == "ws://there/line" and told["kind"] == "arraybuffer"


def test_a_line_that_is_not_to_be_had_is_none_and_one_that_breaks_off_fails_as_a_request_does(modules):
    assert modules(HERE, "refused") is None
    assert modules(HERE, "broken") == ["TypeError", False]


def test_before_samples_stands_the_revision(modules):
    assert bytes(modules(HERE, "packed", 70_000, [0.5, -1.0])) == struct.pack("<I2f", 70_000, 0.5, -1.0)

"""The page's store: who hears of what."""

from pathlib import Path


def test_watchers_hear_of_what_they_watch_until_their_signal_ends(modules):
    told = modules(Path(__file__).parent / "store", "heard")
    assert told["changed"] == [True, False, True]  # the same value, or a list with the same entries, is no change
    assert told["log"] == [
        "mapping b", "all b",
        "mapping c", "drive 1, open x", "all c",
        "all d",  # a correction is heard only by those that watch everything
        "all e",
    ]  # fmt: skip
    assert told["mapping"] == "e" and told["all"] == {"mapping": "e", "drive": 1, "open": ["x"]}


def test_a_row_is_where_it_is_as_it_was(modules):
    def now(before, after, at):
        return modules("steady", "rowNow", before, after, at)

    assert now(["a", "b", "c"], ["b", "c"], 1) == 0, "one above it went"
    assert now(["a", "b", "c"], ["x", "a", "b", "c"], 1) == 2, "one above it came"
    assert now(["a", "b", "c"], ["a", "c"], 1) is None, "it went itself"
    assert now(["a", "b", "c"], ["a", "x", "c"], 1) == 1, "it was changed where it stands"
    assert now(["a", "a", "a"], ["a", "a"], 2) == 1 and now(["a", "a", "a"], ["a", "a"], 0) == 0, (
        "the nearest of its like"
    )
    assert now(["a", "b", "c"], ["c", "b", "a"], 0) == 2, "it was moved"
    assert now(["a", "a"], ["a", "x"], 1) == 1, "it was changed, and the other of its like was not"

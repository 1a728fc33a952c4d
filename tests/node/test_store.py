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

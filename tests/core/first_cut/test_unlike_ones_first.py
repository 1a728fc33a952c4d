"""What is chosen for a first cut moves otherwise than all that was chosen before it."""

from types import SimpleNamespace

import numpy as np
import pytest

from fern_tide.core.first_cut import first_cut
from fern_tide.core.first_cut.first_cut import FEWEST, MOST

RNG = np.random.default_rng(7)
DRUMS = (RNG.random(900) < 0.3).astype(float)
HALF = DRUMS + RNG.normal(size=900) * 0.8  # like the drums by half


def offered(name, score, moves, *, track="song"):
    candidate = SimpleNamespace(key=name, thing=SimpleNamespace(parts=[SimpleNamespace(id=name)]))
    return SimpleNamespace(candidate=candidate, score=score, moves=np.asarray(moves), track=track)


@pytest.fixture
def order(monkeypatch):
    """The keys of what is chosen of some candidates, the first first; all are allowed and calm."""
    monkeypatch.setattr(first_cut, "_made_calm", lambda project, sound, item: item)
    monkeypatch.setattr(first_cut, "_allowed", lambda item, chosen: True)
    monkeypatch.setattr(first_cut, "_enlivened", lambda project, sound, chosen, rest: chosen)
    return lambda *items: [item.candidate.key for item in first_cut._chosen(None, None, items, 1)]


def test_one_that_moves_as_the_first_comes_after_those_that_do_not(order):
    assert MOST >= 4 > FEWEST
    hum, wind = RNG.normal(size=(2, 900))
    drums, again = offered("drums", 1.0, DRUMS), offered("again", 0.8, DRUMS)
    assert order(drums, offered("hum", 0.9, hum), again, offered("wind", 0.6, wind)) == [
        "drums",
        "hum",
        "wind",
        "again",
    ]


def test_the_more_alike_the_less_it_is_worth(order):
    """By hand: 0.8 that is correlated by 0.49 is worth 0.8 (1 - 0.6 x 0.49) = 0.56, less than 0.7 that is unlike."""
    assert np.corrcoef(DRUMS, HALF)[0, 1] == pytest.approx(0.49, abs=0.01)
    drums, half, wind = offered("drums", 1.0, DRUMS), offered("half", 0.8, HALF), RNG.normal(size=900)
    assert order(drums, half, offered("wind", 0.7, wind)) == ["drums", "wind", "half"]


def test_a_second_motion_by_the_same_of_several_tracks_is_worth_less(order):
    """By hand: the second of the kick is worth 0.6 x 0.9 = 0.54, less than 0.6 of the pad; with one track it is 0.9."""
    moves = RNG.normal(size=(3, 900))
    rows = [("kick", 1.0), ("again", 0.9), ("pad", 0.6)]
    alone = [offered(name, score, move) for (name, score), move in zip(rows, moves, strict=True)]
    tracks = ("kick", "kick", "pad")
    stems = [offered(name, score, move, track=of) for (name, score), move, of in zip(rows, moves, tracks, strict=True)]
    assert order(*alone) == ["kick", "again", "pad"]
    assert order(*stems) == ["kick", "pad", "again"]

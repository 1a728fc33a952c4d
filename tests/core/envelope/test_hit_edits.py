"""Hits edited by hand: by times worked out by hand, and through a new analysis of the same sound."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import drums, held, wav

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.envelope.envelope import ReadingChoice, read_raw
from fern_tide.core.envelope.hit_edits import NEAR_S, HitEdit, added, edited, moved, weighed, without
from fern_tide.core.envelope.hits import Hits

HITS = Hits(np.array([0.5, 1.0, 1.5]), np.array([1.0, 0.5, 0.25]))


def listed(edits, hits=HITS, **more):
    given = edited(hits, edits, **more)
    return list(zip(given.times_s.tolist(), given.strengths.tolist(), strict=True))


def test_hits_are_moved_weighed_taken_away_and_added():
    edits = moved((), edited(HITS, ()), 1.0, time_s=1.6)
    assert listed(edits) == [(0.5, 1.0), (1.5, 0.25), (1.6, 0.5)]
    edits = weighed(edits, edited(HITS, edits), 1.6, strength=0.9)
    assert edits == (HitEdit(was_s=1.0, time_s=1.6, strength=0.9),), "one edit of one hit"
    edits = without(edits, edited(HITS, edits), 0.5)
    edits = (*edits, HitEdit(time_s=0.1, strength=0.3))
    assert listed(edits) == [(0.1, 0.3), (1.5, 0.25), (1.6, 0.9)]
    assert listed(without(edits, edited(HITS, edits), 0.1)) == [(1.5, 0.25), (1.6, 0.9)], (
        "what was added is gone for good"
    )
    assert listed(without(edits, edited(HITS, edits), 1.6)) == [(0.1, 0.3), (1.5, 0.25)]
    for nowhere in (0.5 + NEAR_S + 0.001, 1.0 - NEAR_S - 0.001, float("nan")):
        with pytest.raises(InvalidParameter, match="one that is there"):
            without((), edited(HITS, ()), nowhere)
    assert without((), edited(HITS, ()), 1.019) == (HitEdit(was_s=1.0),), "seen by a screen's numbers"
    with pytest.raises(InvalidParameter, match="one that is there"):
        without((), edited(Hits(np.zeros(0), np.zeros(0)), ()), 0.0)
    with pytest.raises(InvalidParameter, match="the time of a hit"):
        HitEdit(strength=1.0)


def test_edits_are_stored_in_seconds_of_their_own_sound():
    late = edited(HITS, (), later_s=2.0)
    assert late.times_s.tolist() == [2.5, 3.0, 3.5] and late.was_s.tolist() == HITS.times_s.tolist()
    edits = added(moved((), late, 2.5, time_s=2.75), late, time_s=9.0, strength=0.5)
    assert edits == (HitEdit(was_s=0.5, time_s=0.75), HitEdit(time_s=7.0, strength=0.5))
    assert edited(HITS, edits, later_s=2.0).times_s.tolist() == [2.75, 3.0, 3.5, 9.0]


def test_an_edit_knows_its_hit_by_time_and_waits_where_there_is_none():
    edits = (HitEdit(was_s=1.0, strength=0.0),)
    near, far = (Hits(HITS.times_s + late, HITS.strengths) for late in (0.012, 0.3))
    assert listed(edits, near)[1] == (pytest.approx(1.012), 0.0)
    assert listed(edits, far) == list(zip(far.times_s.tolist(), far.strengths.tolist(), strict=True))
    assert listed(edits, Hits(np.zeros(0), np.zeros(0))) == []
    two = (HitEdit(was_s=1.0), HitEdit(was_s=1.001))
    assert len(listed(two)) == 2, "one hit has one edit"
    laid = np.array([0.5, 1.25, 1.5])
    assert listed((HitEdit(was_s=1.0, strength=0.1),), laid_s=laid)[1] == (1.25, 0.1)
    assert listed((HitEdit(was_s=1.0, time_s=1.1),), laid_s=laid)[1] == (1.1, 0.5), "an edit comes after the beat"


@given(
    st.lists(st.tuples(st.integers(0, 2), st.sampled_from(["move", "weigh", "remove"]), st.floats(0, 1)), max_size=9)
)
def test_no_more_edits_than_hits_and_no_hit_is_lost_without_being_taken_away(acts):
    edits, gone = (), 0
    for place, act, number in acts:
        now = edited(HITS, edits)
        if place < len(now.times_s):
            hit_s = float(now.times_s[place])
            changed = {
                "move": lambda now=now, hit_s=hit_s, x=number, e=edits: moved(e, now, hit_s, time_s=3 * x),
                "weigh": lambda now=now, hit_s=hit_s, x=number, e=edits: weighed(e, now, hit_s, strength=x),
                "remove": lambda now=now, hit_s=hit_s, e=edits: without(e, now, hit_s),
            }
            edits, gone = changed[act](), gone + (act == "remove")
    assert len(edited(HITS, edits).times_s) == 3 - gone and len(edits) <= 3


def test_edits_of_found_hits_survive_a_new_analysis_of_another_file_of_the_same_sound():
    choice = ReadingChoice.parse("hits")
    file, again = (
        wav(drums() * gain, rate_hz=44_100, subtype=kind) for gain, kind in ((1.0, "FLOAT"), (0.7, "PCM_16"))
    )
    source = held(file, choice)
    plain = choice.spec.hits(choice.params, source)
    first, third = (float(plain.times_s[place]) for place in (0, 2))
    edits = without(moved((), plain, third, time_s=0.033), edited(Hits(plain.times_s, plain.strengths), ()), first)
    mine = choice.but(params=choice.params.but(edits=edits))
    for content in (file, again):
        level = read_raw(mine, held(content, choice))
        frames = np.flatnonzero(level)
        was = np.flatnonzero(read_raw(choice, held(content, choice)))
        gone = {int(plain.times_s[0] * 30), int(plain.times_s[2] * 30)}
        assert set(was) - set(frames) == gone - {0} and len(frames) == len(was) - 1

"""Takes: against values worked out by hand and functions that are known."""

import json

import numpy as np
import pytest
from tests.conftest import Held

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.envelope.beats import Beats
from fern_tide.core.envelope.envelope import ReadingChoice, read_raw
from fern_tide.core.envelope.takes import Stretch, UnreadableTake, counting, led, owners, read_take, take_of, tapped

PLAIN = {"take": 1, "kind": "taps", "device": "keys", "begin_s": 0.0, "end_s": 4.0, "latency_s": 0.0}


def taps(times, strengths=None, **more):
    return take_of({**PLAIN, "times_s": times, "values": {"strength": strengths or [1.0] * len(times)}, **more})


def gesture(times, up, **more):
    values = {"across": [0.5] * len(times), "up": up, "pressure": [0.0] * len(times)}
    return take_of({**PLAIN, "kind": "gesture", "times_s": times, "values": values, **more})


def level(*takes, rate="30", n_frames=120, beats=None, **params):
    media = [format(at, "064x") for at in range(len(takes))]
    listed = [{"media": digest, "name": f"Take {at + 1}"} for at, digest in enumerate(media)]
    choice = ReadingChoice.model_validate({"id": "take", "params": {"takes": listed, **params}})
    source = Held(
        None, {}, rate=FrameRate.parse(rate), n_frames=n_frames, beats=beats, takes=dict(zip(media, takes, strict=True))
    )
    return read_raw(choice, source)


def test_a_take_is_stored_as_it_was_performed_and_comes_back():
    take = taps([1.25, 0.5], [0.5, 1.0], latency_s=0.04, latency_from="measured")
    again = read_take(take.content())
    assert again.times_s.tolist() == [0.5, 1.25] and again.values["strength"].tolist() == [1.0, 0.5]
    assert again.latency_s == 0.04 and again.latency_from == "measured" and again.device == "keys"
    assert again.content() == take.content() and take.content().startswith(b'{"take":1,')
    assert again.meant_s.tolist() == [0.46, 1.21]


def test_taps_are_hits_in_the_frames_that_own_them_without_their_latency():
    got = level(taps([0.1, 1.04, 2.0], [0.5, 1.0, 0.25], latency_s=0.04))
    assert {int(at): got[at] for at in np.flatnonzero(got)} == {1: 0.5, 30: 1.0, 58: 0.25}
    even = level(taps([0.1], [0.2]), given="even hits", later_s=0.5)
    assert np.flatnonzero(even).tolist() == [18] and even[18] == 1.0


def test_hits_go_to_the_beat_by_a_share():
    beats = Beats(np.array([0.0, 0.5, 1.0, 1.5]), 120.0)
    take = taps([0.1, 0.45, 0.8, 1.9])
    last_two = level(taps([1.1, 1.4]), rate="100", n_frames=400, beats=beats, to_beat_percent=100)
    assert np.flatnonzero(last_two).tolist() == [100, 150]
    for percent, expected in ((0, [0.1, 0.45, 0.8, 1.9]), (100, [0.0, 0.5, 1.0, 1.5]), (50, [0.05, 0.475, 0.9, 1.7])):
        got = np.flatnonzero(level(take, rate="100", n_frames=400, beats=beats, to_beat_percent=percent))
        np.testing.assert_array_equal(got, np.floor(np.array(expected) * 100 + 1e-6))
    none = Beats(np.zeros(0), 0.0)
    assert np.flatnonzero(level(take, beats=none, to_beat_percent=80)).tolist() == [3, 13, 24, 57]


def test_a_gesture_is_read_at_the_middles_of_frames_within_1_percent():
    times = np.arange(0, 4, 1 / 120)
    curve = 0.5 + 0.4 * np.sin(2 * np.pi * times)
    got = level(gesture((times + 0.03).tolist(), curve.tolist(), latency_s=0.03, end_s=4.1), given="up")
    middles = (np.arange(120) + 0.5) / 30
    np.testing.assert_allclose(got, 0.5 + 0.4 * np.sin(2 * np.pi * middles), atol=0.8 * 0.01)
    linear = level(gesture([0.0, 2.0], [0.0, 1.0]), given="up", rate="2", n_frames=5)
    assert linear.tolist() == [0.125, 0.375, 0.625, 0.875, 1.0]
    assert level(gesture([0.0, 2.0], [0.0, 1.0]), given="hits").tolist() == [0.0] * 120
    assert level(taps([0.5]), given="up").tolist() == [0.0] * 120


def test_the_last_take_counts_where_it_was_recorded_and_a_chosen_one_in_its_stretch():
    takes = [taps([0.5, 1.5, 2.5, 3.5], [0.1] * 4), taps([1.2, 2.2], [0.9] * 2, begin_s=1.0, end_s=3.0)]
    at = np.array([0.5, 1.0, 2.9, 3.0, 4.0, -1.0])
    assert owners(at, takes, ()).tolist() == [0, 1, 1, 0, -1, -1]
    assert tapped(takes, ())[0].tolist() == [0.5, 1.2, 2.2, 3.5]
    chosen = (Stretch(begin_s=2.0, end_s=3.0, take=0), Stretch(begin_s=3.0, end_s=4.0, take=1))
    assert tapped(takes, chosen)[0].tolist() == [0.5, 1.2, 2.5], "a take is silent where it was not recorded"
    assert tapped(takes, (*chosen, Stretch(begin_s=0.0, end_s=4.0, take=1)))[0].tolist() == [1.2, 2.2]
    got = level(*takes, stretches=[{"begin_s": 2.0, "end_s": 3.0, "take": 0}])
    assert np.flatnonzero(got).tolist() == [15, 36, 75, 105]
    late = [taps([0.5]), taps([1.04], latency_s=0.05, begin_s=1.0, end_s=3.0)]
    assert tapped(late, ())[0].tolist() == pytest.approx([0.5, 0.99]), "what was meant just before the punch counts"


def test_gestures_are_put_together_and_hold_where_none_was_performed():
    takes = [gesture([1.0, 2.0], [0.2, 0.4], begin_s=1.0, end_s=2.0), gesture([3.0], [0.9], begin_s=3.0, end_s=3.5)]
    at = np.array([0.0, 1.5, 2.5, 3.2, 3.9])
    assert led("up", at, takes, stretches=()).tolist() == pytest.approx([0.3, 0.3, 0.3, 0.9, 0.9])
    assert led("up", at, [gesture([], [])], stretches=()).tolist() == [0.0] * 5
    assert led("up", at, takes, stretches=(Stretch(begin_s=0.0, end_s=9.0, take=7),)).tolist() == [0.0] * 5, (
        "a take that is gone"
    )


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"take": 2}, "no take"), ({"kind": "song"}, "of no kind"), ({"latency_from": "x"}, "of no kind"),
        ({"times_s": [1.0]}, "belong together"), ({"times_s": None}, "belong together"),
        ({"values": 3}, "belong together"),
        ({"times_s": [1.0, "x"]}, "x in the take is no number"), ({"times_s": [1.0, True]}, "True in the take"),
        ({"times_s": [1.0, 1e300]}, "too much"), ({"end_s": -1.0}, "beginning, end"), ({"latency_s": 3.0}, "latency"),
        ({"begin_s": float("nan")}, "no number"),
    ],
)  # fmt: skip
def test_what_is_no_take_is_refused_in_words(changes, words):
    good = {**PLAIN, "times_s": [1.0, 2.0], "values": {"strength": [1.0, 7.0]}}
    assert take_of(good).values["strength"].tolist() == [1.0, 1.0], "what is stronger than 1 is 1"
    with pytest.raises(UnreadableTake, match=words):
        take_of({**good, **changes})


@pytest.mark.parametrize("content", [b"", b"\xff", b"[]", b'{"take":1', b'{"take":1}', b"[" * 100_000])
def test_bytes_that_are_no_take_are_refused_in_words(content):
    with pytest.raises(UnreadableTake):
        read_take(content)


def test_too_many_points_are_refused(monkeypatch):
    monkeypatch.setattr("fern_tide.core.envelope.takes.MOST_POINTS", 3)
    assert len(taps([1.0, 2.0, 3.0]).times_s) == 3
    with pytest.raises(UnreadableTake, match="more than 3 points"):
        taps([1.0, 2.0, 3.0, 4.0])
    monkeypatch.setattr("fern_tide.core.envelope.takes.MOST_BYTES", 100)
    with pytest.raises(UnreadableTake, match="larger than"):
        read_take(json.dumps({**PLAIN, "times_s": [], "values": {"strength": []}, "device": "x" * 100}).encode())


def test_which_take_counts_where_is_listed():
    takes = [taps([0.5]), taps([1.2], begin_s=1.0, end_s=3.0, latency_s=0.1)]
    assert counting(takes, ()) == [(0.0, 0.9, 0), (0.9, 2.9, 1), (2.9, 4.0, 0)]
    chosen = (Stretch(begin_s=-9.0, end_s=2.0, take=0), Stretch(begin_s=3.5, end_s=3.75, take=1))
    assert counting(takes, chosen) == [(0.0, 2.0, 0), (2.0, 2.9, 1), (2.9, 3.5, 0), (3.5, 3.75, 1), (3.75, 4.0, 0)]
    assert counting([taps([0.5], end_s=1.0), taps([3.5], begin_s=3.0)], ()) == [(0.0, 1.0, 0), (3.0, 4.0, 1)]
    assert counting([], ()) == []

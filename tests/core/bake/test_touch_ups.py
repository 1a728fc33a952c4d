"""Touch-ups, against values worked out by hand from SIGNAL.md."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fern_tide.core.bake.touch_up import (
    MOST_GROUND,
    TOUCHES,
    Laid,
    Start,
    TouchUp,
    fades,
    ground_moved,
    ground_text,
    ground_values,
    touched,
)
from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.params import build

RATE = FrameRate.parse("10")
VALUES = np.arange(20.0)
REST = np.array([2.0])


def touch_up(kind, *, at=5.0, frames=4, fade=0, rate=10, **params):
    return build(
        TouchUp,
        {
            "id": "one",
            "target": "lamp:x",
            "start": {"at_s": at / rate},
            "length_s": frames / rate,
            "fade_in_s": fade / rate,
            "fade_out_s": fade / rate,
            "touch": {"id": kind, "params": params},
        },
    )


def laid(*touch_ups):
    return [Laid(one, one.began_s()) for one in touch_ups]


def apply(*touch_ups, values=VALUES, rest=REST, rate=RATE):
    return touched(values, laid(*touch_ups), rest=rest, rate=rate)[0]


@pytest.mark.parametrize(
    ("kind", "params", "expected"),
    [
        ("hold", {"value": 9.5}, [9.5, 9.5, 9.5, 9.5]),
        ("scale", {"percent": 50}, [3.5, 4.0, 4.5, 5.0]),  # 2 + (v - 2)/2
        ("scale", {"percent": -100}, [-1.0, -2.0, -3.0, -4.0]),
        ("nudge", {"amount": -1}, [4.0, 5.0, 6.0, 7.0]),
        ("silence", {}, [2.0, 2.0, 2.0, 2.0]),
        ("slide", {"late_frames": 2}, [3.0, 4.0, 5.0, 6.0]),
        ("slide", {"late_frames": -0.5}, [5.5, 6.5, 7.5, 8.5]),
        ("slide", {"late_frames": 7}, [0.0, 0.0, 0.0, 1.0]),
        ("slide", {"late_frames": 7.5}, [0.0, 0.0, 0.0, 0.5]),
        ("slide", {"late_frames": -13}, [18.0, 19.0, 19.0, 19.0]),
        ("keys", {"keys": [{"at_s": 0, "value": 1}, {"at_s": 0.2, "value": 5}]}, [1.0, 3.0, 5.0, 5.0]),
        (
            "keys",
            {"keys": [{"at_s": 0, "value": 1}, {"at_s": 0.2, "value": 5}], "interpolation": "step"},
            [1.0, 1.0, 5.0, 5.0],
        ),
    ],
)
def test_a_sharp_touch_up_changes_its_stretch_and_nothing_else(kind, params, expected):
    out = apply(touch_up(kind, **params))
    np.testing.assert_allclose(out[5:9], expected, atol=1e-12)
    np.testing.assert_array_equal(np.delete(out, range(5, 9)), np.delete(VALUES, range(5, 9)))


def test_smoothing_leaves_a_straight_line_and_rounds_a_step():
    np.testing.assert_allclose(apply(touch_up("smooth", width_ms=200)), VALUES, atol=1e-12)
    step = np.where(np.arange(20) < 7, 0.0, 1.0)
    out = apply(touch_up("smooth", frames=4, width_ms=300), values=step)
    assert out[6] + out[7] == pytest.approx(1.0) and 0 < out[6] < 0.5 < out[7] < 1, "it looks beyond the stretch's ends"
    assert out[4] == 0 and out[9] == 1


def test_a_cubic_key_takes_the_slope_that_it_is_given_per_second():
    keys = [{"at_s": 0, "value": 0, "slope": 0}, {"at_s": 0.4, "value": 4, "slope": 0}]
    out = apply(touch_up("keys", frames=5, keys=keys, interpolation="cubic"))
    share = np.arange(5) / 4
    np.testing.assert_allclose(out[5:10], 4 * (3 * share**2 - 2 * share**3))
    keys[0]["slope"] = 10  # a unit a frame: the straight line's own slope, at its beginning only
    share = np.arange(5) / 4
    steep = 4 * (3 * share**2 - 2 * share**3) + 4 * (share**3 - 2 * share**2 + share)
    np.testing.assert_allclose(apply(touch_up("keys", frames=5, keys=keys, interpolation="cubic"))[5:10], steep)


def test_fades_are_a_raised_cosine_at_both_ends():
    (one,) = laid(touch_up("hold", value=0, frames=8, fade=3))
    shares = (0.5 - 0.5 * np.cos(np.pi * np.array([0.25, 0.5, 0.75]))).tolist()
    np.testing.assert_allclose(fades(one, rate=RATE, n_frames=20).shares, [*shares, 1, 1, *shares[::-1]])
    out = apply(touch_up("hold", value=0, frames=8, fade=3))
    np.testing.assert_allclose(out[5], 5 * (1 - shares[0]))
    (cut,) = laid(touch_up("hold", value=0, at=-2, frames=8, fade=3))
    np.testing.assert_allclose(fades(cut, rate=RATE, n_frames=20).shares, [shares[2], 1, 1, *shares[::-1]])


def test_later_ones_lie_over_earlier_ones_and_see_what_those_made():
    held, scaled = touch_up("hold", value=12), touch_up("scale", percent=50)
    assert apply(held, scaled)[5:9].tolist() == [7.0] * 4
    assert apply(scaled, held)[5:9].tolist() == [12.0] * 4
    _, grounds = touched(VALUES, laid(held, scaled), rest=REST, rate=RATE)
    assert [ground.tolist() for ground in grounds] == [[5, 6, 7, 8], [12] * 4]


def test_a_stretch_stays_with_its_seconds_at_another_rate():
    one = touch_up("hold", value=100, at=5, frames=4)
    at_24 = apply(one, values=np.zeros(48), rate=FrameRate.parse("24"))
    assert np.flatnonzero(at_24).tolist() == list(range(12, 22))  # 0.5 s to 0.9 s: 9.6 frames, nearest 10


def test_what_lies_outside_changes_nothing_and_a_part_of_it_only_that():
    assert apply(touch_up("hold", value=-1, at=40)).tolist() == VALUES.tolist()
    out = apply(touch_up("hold", value=-1, at=18, frames=9))
    assert np.flatnonzero(out == -1).tolist() == [18, 19]


def test_a_colour_is_held_scaled_and_silenced_and_stays_one():
    red = np.repeat(np.array([[0.8], [0.2], [0.0]]), 20, axis=1)
    rest = np.array([[0.0], [0.0], [0.0]])
    held = apply(touch_up("hold", colour="#0000ff"), values=red, rest=rest)
    assert held[:, 6].tolist() == [0, 0, 1] and held[:, 4].tolist() == [0.8, 0.2, 0]
    twice = apply(touch_up("scale", percent=200), values=red, rest=rest)
    np.testing.assert_allclose(twice[:, 6], [1.0, 0.4, 0.0])
    assert apply(touch_up("silence"), values=red, rest=rest)[:, 6].tolist() == [0, 0, 0]
    assert apply(touch_up("nudge", amount=0.5), values=red, rest=rest).tolist() == red.tolist(), "a bump is a number's"


def test_keys_for_good_hide_everything_in_every_frame():
    keys = [{"at_s": -0.5, "value": 1.0}, {"at_s": 1.4, "value": 1.0}]
    one = touch_up("keys", keys=keys, for_good=True)
    assert one.replaces_all and apply(one).tolist() == [1.0] * 20
    assert not one.but(touch=one.touch.but(on=False)).replaces_all


@pytest.mark.parametrize("kind", TOUCHES.values(), ids=TOUCHES)
def test_a_new_one_begins_with_what_it_can_do(kind):
    from fern_tide.core.bake.touch import Stretch

    stretch = Stretch(np.sin(VALUES), np.zeros(1), 5, 12, 5.0, RATE)
    params = build(kind.params, kind.begins(stretch))
    assert kind.apply(stretch, params).shape == (7,) and kind.words(params)
    if kind.id == "keys":
        np.testing.assert_allclose(kind.apply(stretch, params), stretch.below, atol=0.03 * np.ptp(stretch.below) + 1e-9)


@pytest.mark.parametrize(
    "keys",
    [
        [{"at_s": 0, "value": 1}, {"at_s": 0, "value": 2}],
        [{"at_s": 1, "value": 1}, {"at_s": 0, "value": 2}],
        [{"at_s": 0, "value": 1}, {"at_s": 1, "value": "#ffffff"}],
    ],
)
def test_impossible_keys_are_refused(keys):
    with pytest.raises(InvalidParameter, match="keys|Keys"):
        touch_up("keys", keys=keys)


# --- the ground


@given(st.integers(1, 3 * MOST_GROUND))
def test_an_unmoved_ground_has_not_moved(n):
    values = np.random.default_rng(n).normal(size=n)
    assert ground_moved(ground_text(values), values) < 1e-6
    assert ground_values(ground_text(values), rows=1).shape == (1, min(n, MOST_GROUND))


def test_a_moved_ground_says_by_how_much_at_most():
    values = np.zeros(30)
    text, moved = ground_text(values), values.copy()
    moved[11] = -0.25
    assert ground_moved(text, moved) == pytest.approx(0.25)
    assert (
        ground_moved("", moved) == 0.0 and ground_values("!", rows=1) is None and ground_values("AAA=", rows=1) is None
    )
    assert ground_moved(ground_text(np.zeros((3, 4))), np.full((3, 4), 0.5)) == pytest.approx(0.5)


def test_one_that_is_tied_begins_at_its_hit_or_marker_and_after_it():
    def tied(to):
        start = {"tied_to": to, "id": "one", "at_s": 2.0, "after_s": 0.5}
        return touch_up("hold", value=1).but(start=build(Start, start))

    hits = np.array([0.4, 2.2, 4.0])
    assert tied("hit").began_s(times_s=hits, offset_s=1.5) == pytest.approx(2.2 + 1.5 + 0.5)
    assert tied("hit").began_s(times_s=np.array([0.4, 2.3])) == 2.5  # none within a quarter of a second
    assert tied("marker").began_s(times_s=np.array([7.0])) == 7.5
    assert tied("hit").began_s(times_s=np.array([])) == tied("marker").began_s() == 2.5


def test_one_that_is_shorter_than_a_frame_is_one_frame():
    values = apply(touch_up("hold", frames=0.2, value=9.5))
    np.testing.assert_array_equal(np.flatnonzero(values != VALUES), [5])

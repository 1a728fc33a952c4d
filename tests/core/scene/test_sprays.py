"""Thrown pieces against the closed form worked out drop by drop, at two rates; nozzles; and what is hostile."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import quad
from scipy.optimize import brentq
from scipy.spatial.transform import Rotation
from scipy.stats import kstest

from fern_tide.core.scene.arrays.layouts.spray import LAYOUT, NOZZLES, SprayParams
from fern_tide.core.scene.arrays.throw import N_KINDS, Leaving, flights, still_flights

OWN = {size.id: size.default for size in LAYOUT.sizes}


def throw(flat=False, **params):
    return LAYOUT.throws(SprayParams.model_validate(params), flat=flat)


def driven(n_frames, **more):
    values = {**OWN, **more}
    return {name: np.broadcast_to(np.asarray(value, dtype=float), (n_frames,)).copy() for name, value in values.items()}


def by_hand(spray, own, drop, time):
    """Where a drop of a steady spray in space is: x_0 + v t + g t^2/2, from the numbers of its kind."""
    kind = (drop - 1) % N_KINDS
    kinds = spray.kinds
    aside, round_it, faster = kinds.shares[:, kind]
    away = np.arccos(1 - aside * (1 - np.cos(np.radians(own["width"]) / 2)))
    out, one, other = kinds.out[:, kind], kinds.aside[:, kind], kinds.beyond[:, kind]
    way = out * np.cos(away) + np.sin(away) * (
        one * np.cos(2 * np.pi * round_it) + other * np.sin(2 * np.pi * round_it)
    )
    aim = Rotation.from_euler("XYZ", [own["aim_x"], 0, own["aim_z"]], degrees=True)
    start = np.array([own[f"from_{axis}"] for axis in "xyz"]) + aim.apply(kinds.places[:, kind] * own["nozzle"])
    speed = aim.apply(way) * own["force"] * (1 + spray.uneven * faster)
    return start + speed * time + np.array([0, -own["gravity"], 0]) * time**2 / 2


@pytest.mark.parametrize("nozzle", NOZZLES)
def test_a_steady_spray_is_the_closed_form_at_24_and_at_60_frames(nozzle):
    spray = throw(count=40, nozzle={"id": nozzle}, last_size=0.5)
    own = {**OWN, "rate": 7.0, "life": 1.3, "aim_x": 20.0, "aim_z": -50.0, "from_y": 1.0, "width": 80.0}
    which = np.arange(40)
    shown = {fps: flights(spray, driven(4 * fps, **own), which, fps=fps) for fps in (24, 60)}
    seen = 0
    for step in range(4 * 12):  # every twelfth of a second is a frame of both
        time, left = step / 12, []
        for fps, flight in shown.items():
            frame = step * fps // 12
            flying = {
                piece: (flight.places[:, piece, frame], flight.sizes[piece, frame])
                for piece in which.tolist()
                if flight.sizes[piece, frame]
            }
            left.append(flying)
        assert left[0].keys() == left[1].keys()
        drops = [drop for drop in range(1, 200) if drop / 7 <= time + 1e-9 and time - drop / 7 < 1.3 - 1e-9]
        assert {(drop - 1) % 40 for drop in drops} == set(left[0])
        for drop in drops:
            age = time - drop / 7
            for flying in left:
                place, size = flying[(drop - 1) % 40]
                np.testing.assert_allclose(place, by_hand(spray, own, drop, age), atol=1e-9)
                assert size == pytest.approx(1 - 0.5 * age / 1.3, abs=1e-9)
                seen += 1
    assert seen > 500


@given(st.lists(st.floats(0, 90), min_size=3, max_size=12), st.floats(0, 3))
def test_drops_leave_where_the_integral_of_the_rate_reaches_their_number(rates, before):
    leaving = Leaving(np.array(rates), 10.0, before)
    end = (len(rates) - 1) / 10

    def rate(time):
        return np.interp(time * 10, np.arange(len(rates)), rates)

    def reached(time):
        inner = [n / 10 for n in range(len(rates)) if 0 < n / 10 < time]
        return before * rates[0] + (
            quad(rate, 0, time, points=inner or None, limit=200)[0] if time > 0 else time * rates[0]
        )

    total = reached(end)
    assert leaving.counts[-1] in {np.floor(total + 1e-6), np.floor(total - 1e-6)}
    for drop in range(1, int(leaving.counts[-1]) + 1, 3):
        ours = leaving.times(np.array([drop]))[0]
        assert reached(min(ours, end)) == pytest.approx(drop, abs=1e-5)
        if reached(-before) < drop < total - 1e-3:
            theirs = brentq(lambda time, drop=drop: reached(time) - drop, -before, end)
            assert ours <= theirs + 1e-3, "where the rate was 0 it left before that"


def test_what_drives_a_drop_is_taken_as_it_leaves():
    force = np.concatenate([np.full(10, 2.0), np.full(50, 9.0)])
    spray = throw(uneven=0, count=10)
    shown = flights(
        spray, driven(60, rate=10.0, force=force, width=0.0, nozzle=0.0, gravity=0.0, life=9.0), np.arange(10), fps=10.0
    )
    # drop 5 left at half a second, when it was 2; drop 20 at two seconds, when it was 9
    assert shown.places[1, 4, 9] == pytest.approx(2 * 0.4) and shown.places[1, 9, 25] == pytest.approx(9 * 0.5)
    turned = flights(
        spray,
        driven(60, rate=10.0, width=0.0, nozzle=0.0, gravity=0.0, aim_z=np.where(np.arange(60) < 12, 0.0, 90.0)),
        np.arange(10),
        fps=10.0,
    )
    assert abs(turned.places[0, 9, 13]) < 1e-9 < turned.places[1, 9, 13], "who left before the aim changed flies on"
    assert turned.places[0, 2, 15] == pytest.approx(-5 * 0.2), "left is where up goes, turned about z"


def test_in_2d_down_is_down_and_it_is_aimed_clockwise():
    own = {"rate": 10.0, "width": 0.0, "nozzle": 0.0, "force": 300.0, "gravity": 980.0, "from_x": 7.0, "from_y": 40.0}
    shown = flights(throw(flat=True, uneven=0, count=3), driven(11, **own, aim_z=90.0), np.arange(3), fps=10.0)
    np.testing.assert_allclose(shown.places[:, 0, 6], [7 + 300 * 0.2, 40 + 980 * 0.02, 0], atol=1e-9)  # drop 4
    up = flights(throw(flat=True, uneven=0, count=3), driven(11, **own), np.arange(3), fps=10.0)
    np.testing.assert_allclose(up.places[:, 0, 6], [7, 40 - 300 * 0.2 + 980 * 0.02, 0], atol=1e-9)
    wide = flights(
        throw(flat=True, count=400), driven(41, rate=100.0, width=120.0, gravity=0.0, life=9), np.arange(400), fps=10.0
    )
    gone = wide.places[:2, :, -1] - wide.places[:2, :, [0]].mean(axis=(1, 2), keepdims=True)[..., 0]
    angles = np.degrees(np.arctan2(gone[0], -gone[1]))[wide.ages[:, -1] > 0.05]
    assert np.abs(angles).max() < 62 and np.ptp(angles) > 100


def test_ways_fill_the_cone_evenly():
    kinds = throw().kinds
    assert kstest(kinds.shares[0], "uniform").pvalue > 1e-3
    assert kstest((kinds.shares[2] + 1) / 2, "uniform").pvalue > 1e-3, "as many faster as slower"
    shown = flights(
        throw(count=5000, uneven=0),
        driven(2, rate=5000.0, width=90.0, gravity=0.0, nozzle=0.0, life=9.0),
        np.arange(5000),
        fps=1.0,
    )
    went = shown.places[:, :, 1] / np.linalg.norm(shown.places[:, :, 1], axis=0).clip(1e-12)
    height = went[1][shown.ages[:, 1] > 0]
    assert height.min() > np.cos(np.radians(45)) - 1e-9
    assert kstest((1 - height) / (1 - np.cos(np.radians(45))), "uniform").pvalue > 1e-3, "even over the cap"


@pytest.mark.parametrize("flat", [False, True])
@pytest.mark.parametrize("nozzle", NOZZLES.values(), ids=lambda one: one.id)
def test_a_nozzle_is_one_across_and_its_ways_out_are_one_long(nozzle, flat):
    numbers = np.random.default_rng(4).random((4000, 2))
    places, out = (nozzle.flat if flat else nozzle.leave)(nozzle.params(), numbers)
    assert places.shape == out.shape == (4000, 3)
    assert np.abs(places).max() <= 0.5 + 1e-9 and np.abs(places.mean(axis=0)).max() < 0.03
    np.testing.assert_allclose(np.linalg.norm(out, axis=1), 1, atol=1e-9)
    if flat:
        assert not places[:, 2].any() and not out[:, 2].any()
    kinds = throw(flat=flat, nozzle={"id": nozzle.id}).kinds
    frames = np.stack([kinds.out, kinds.aside, kinds.beyond])
    np.testing.assert_allclose(
        np.einsum("aik,bik->kab", frames, frames), np.broadcast_to(np.eye(3), (N_KINDS, 3, 3)), atol=1e-9
    )


def test_the_same_seed_throws_the_same_and_another_others():
    one, again, other = (
        flights(throw(drops_seed=seed), driven(30), np.arange(60), fps=30.0).places for seed in (3, 3, 4)
    )
    assert np.array_equal(one, again) and not np.allclose(one, other)
    few = flights(throw(drops_seed=3), driven(30), np.array([5, 2]), fps=30.0).places
    assert np.array_equal(few, one[:, [5, 2]]), "a piece alone is what it is among all"


def test_before_the_first_and_after_the_last_drop_nothing_is_seen_and_none_slides():
    rate = np.concatenate([np.full(10, 20.0), np.zeros(40)])
    shown = flights(throw(count=30), driven(50, rate=rate, life=0.5), np.arange(30), fps=10.0)
    assert not shown.sizes[:, 0].any() and not shown.sizes[:, 20:].any() and shown.sizes[:, 8].any()
    steps = np.abs(np.diff(shown.places, axis=2)).max(axis=0)
    gone = (shown.sizes[:, :-1] == 0) & (shown.sizes[:, 1:] > 0)
    assert gone.any() and steps[gone].max() < 1.0, "it waits where it will leave"
    early = flights(throw(count=30, before_s=2), driven(50, rate=rate, life=0.5), np.arange(30), fps=10.0)
    assert np.count_nonzero(early.sizes[:, 0]) == 10, "half a second of 20 a second is in the air"
    late = flights(throw(count=4), driven(50, rate=20.0, life=9.0), np.arange(4), fps=10.0)
    assert (late.sizes[:, 10:] > 0).all(), "with too few pieces the oldest gives way"


def test_standing_still_a_spray_is_seen_as_it_runs():
    shown = still_flights(throw(count=60), {**OWN, "rate": 20.0, "life": 1.5}, np.arange(60))
    assert np.count_nonzero(shown.sizes[:, 0]) == 30 and shown.places.shape == (3, 60, 1)


@pytest.mark.parametrize(
    "more",
    [{"rate": 1e9}, {"rate": 0.0}, {"rate": -5.0}, {"life": 0.0}, {"force": 0.0, "nozzle": 0.0}, {"width": 360.0}],
)
def test_what_means_little_gives_numbers_all_the_same(more):
    shown = flights(throw(count=7, before_s=1), driven(9, **more), np.arange(7), fps=30.0)
    assert np.isfinite(shown.places).all() and np.isfinite(shown.sizes).all() and (shown.ages <= 1).all()

"""What every clean-up and step promises while the sound comes: the same numbers, however it comes."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.specs import other_values

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.params import build, fields
from fern_tide.core.envelope.clean_up.smooth import SmoothParams
from fern_tide.core.envelope.envelope import CLEAN_UPS
from fern_tide.core.mapping.mapping import STEPS
from fern_tide.core.mapping.step import StepContext

RATE = FrameRate.parse("30000/1001")
LIVE_CLEAN_UPS = [spec for spec in CLEAN_UPS.values() if spec.live]
LIVE_STEPS = [spec for spec in STEPS.values() if spec.live]
N = 240


def some_level(shape, *, seed=3):
    """A level with silences, jumps, plateaus and noise, shape (..., frames)."""
    rng = np.random.default_rng(seed)
    level = np.abs(rng.normal(size=shape)).cumsum(axis=-1) % 1.3 / 1.3
    level[..., 20:45] = 0.0
    level[..., 90:110] = 0.8
    level[..., 130:133] = 1.0
    return level


def context():
    rng = np.random.default_rng(8)
    hits = np.sort(rng.choice(N, 25, replace=False))
    return StepContext(
        rate=RATE,
        seed=5,
        hit_frames=hits,
        hit_strengths=rng.uniform(0.1, 1.0, len(hits)),
        beat_times_s=0.2 + 0.47 * np.arange(12),
        levels={"low": some_level((N,), seed=4)},
    )


def stretch(known, first, last):
    """What a context knows of some frames."""
    inside = (known.hit_frames >= first) & (known.hit_frames < last)
    return StepContext(
        rate=known.rate,
        seed=known.seed,
        hit_frames=known.hit_frames[inside] - first,
        hit_strengths=known.hit_strengths[inside],
        beat_times_s=known.beat_times_s,
        levels={name: level[first:last] for name, level in known.levels.items()},
    )


def all_params(spec):
    """The params as they are by default, and with each field otherwise."""
    yield spec.params()
    for field in fields(spec.params):
        for value in other_values(field):
            try:
                yield build(spec.params, {field.name: value})
            except Exception:
                continue


def edges(cuts):
    return sorted({0, N, *(cut for cut in cuts if cut < N)})


def cleaned(spec, params, level, cuts):
    flow = spec.live.flow(params, RATE)
    parts = [flow(level[..., a:b]) for a, b in zip(edges(cuts)[:-1], edges(cuts)[1:], strict=True)]
    return np.concatenate(parts, axis=-1)


def stepped(spec, params, lift, cuts):
    known = context()
    flow = spec.live.flow(params, StepContext(rate=RATE, seed=known.seed, beat_times_s=known.beat_times_s))
    ends = zip(edges(cuts)[:-1], edges(cuts)[1:], strict=True)
    return np.concatenate([flow(lift[..., a:b], context=stretch(known, a, b)) for a, b in ends], axis=-1)


WHOLES = {}


def at_once(gives, spec, shape):
    """A level; and all params of a spec, each with what it gives of the level when all frames come at once."""
    key = (gives.__name__, spec.id, shape)
    if key not in WHOLES:
        level = some_level(shape)
        level.setflags(write=False)
        WHOLES[key] = level, [(params, gives(spec, params, level, [])) for params in all_params(spec)]
    return WHOLES[key]


CUTS = st.lists(st.integers(1, N - 1), max_size=12)
SHAPES = st.sampled_from([(N,), (3, N)])


@pytest.mark.parametrize("spec", LIVE_CLEAN_UPS, ids=lambda spec: spec.id)
@given(cuts=CUTS, shape=SHAPES)
def test_a_clean_up_gives_the_same_however_the_level_comes(spec, cuts, shape):
    level, known = at_once(cleaned, spec, shape)
    for params, once in known:
        assert once.shape == level.shape
        np.testing.assert_allclose(cleaned(spec, params, level, cuts), once, atol=1e-12)


@pytest.mark.parametrize("spec", LIVE_STEPS, ids=lambda spec: spec.id)
@given(cuts=CUTS, shape=SHAPES)
def test_a_step_gives_the_same_however_the_lift_comes(spec, cuts, shape):
    lift, known = at_once(stepped, spec, shape)
    for params, once in known:
        assert once.shape == lift.shape
        np.testing.assert_allclose(stepped(spec, params, lift, cuts), once, atol=1e-12)


@pytest.mark.parametrize("spec", LIVE_CLEAN_UPS, ids=lambda spec: spec.id)
def test_a_clean_up_that_is_neither_late_nor_otherwise_is_the_whole_one(spec):
    for params in all_params(spec):
        if spec.live.words(params) or spec.live.lag_frames(params, RATE):
            continue
        for shape in ((N,), (3, N)):
            level = some_level(shape)
            whole = spec.apply(level, params=params, rate=RATE)
            np.testing.assert_allclose(cleaned(spec, params, level, [1, 7, 100]), whole, atol=1e-12)


@pytest.mark.parametrize("spec", LIVE_STEPS, ids=lambda spec: spec.id)
def test_a_step_that_is_not_otherwise_is_the_whole_one(spec):
    for params in all_params(spec):
        if spec.live.words(params):
            continue
        for shape in ((N,), (3, N)):
            lift = some_level(shape)
            whole = spec.apply(lift, params=params, context=context())
            np.testing.assert_allclose(stepped(spec, params, lift, [1, 7, 100]), whole, atol=1e-12)


@pytest.mark.parametrize("spec", [*LIVE_CLEAN_UPS, *LIVE_STEPS], ids=lambda spec: spec.id)
def test_nothing_that_has_not_come_counts(spec):
    level = some_level((N,))
    other = level.copy()
    other[150:] = 0.37
    for params in all_params(spec):
        if spec in LIVE_CLEAN_UPS:
            one, two = (cleaned(spec, params, x, [150]) for x in (level, other))
        else:
            one, two = (stepped(spec, params, x, [150]) for x in (level, other))
        np.testing.assert_array_equal(one[:150], two[:150])


def test_every_clean_up_and_step_that_ships_is_live():
    shipped = [spec for spec in (*CLEAN_UPS.values(), *STEPS.values()) if "fern_tide_" not in spec.params.__module__]
    assert [spec.id for spec in shipped if spec.live is None] == []


def test_half_a_bell_smooths_by_what_came_and_says_how_late_it_is():
    """By hand: at 10 frames/s a bell of 233 ms has a sigma of 0.99; weights are exp(-k^2 / 2 sigma^2), k 0 to 4."""
    rate, params = FrameRate.parse("10"), SmoothParams(width_ms=99.0 * 2.0 * np.sqrt(2.0 * np.log(2.0)))
    bell = np.exp(-0.5 * (np.arange(5) / 0.99) ** 2)
    weights = bell / bell.sum()
    live = CLEAN_UPS["smooth"].live
    impulse = np.zeros(12)
    impulse[3] = 1.0
    np.testing.assert_allclose(live.flow(params, rate)(impulse)[3:8], weights, atol=1e-12)
    assert live.lag_frames(params, rate) == pytest.approx(float(weights @ np.arange(5)))
    np.testing.assert_allclose(
        live.flow(params, rate)(np.full(9, 0.7)), 0.7
    )  # a steady level stays from the first frame


def test_despike_live_is_the_median_of_what_came():
    live, params = CLEAN_UPS["despike"].live, CLEAN_UPS["despike"].params(width_ms=100.0)
    rate = FrameRate.parse("30")  # three frames
    given_level = np.array([0.1, 0.2, 0.9, 0.3, 0.4, 0.5])
    np.testing.assert_allclose(live.flow(params, rate)(given_level), [0.1, 0.1, 0.2, 0.3, 0.4, 0.4])
    assert live.lag_frames(params, rate) == 1


def test_equalise_live_goes_by_the_last_half_minute():
    live, params = CLEAN_UPS["equalise"].live, CLEAN_UPS["equalise"].params(percentile=100)
    rate = FrameRate.parse("2")  # 60 frames
    level = np.full(130, 0.25)
    level[10] = 1.0
    out = live.flow(params, rate)(level)
    np.testing.assert_allclose(out[[0, 9, 10, 11, 69]], [1.0, 1.0, 1.0, 0.25, 0.25])
    np.testing.assert_allclose(out[70:], 1.0)  # the loud frame is 60 frames ago
    assert "30 s" in live.words(params)


@pytest.mark.parametrize("by", [1.0, 2.5, 7.25])
def test_a_shift_to_later_is_the_whole_one_however_it_comes(by):
    level, cuts = some_level((N,)), [1, 2, 3, 50, 51, 120]
    clean_up, step = CLEAN_UPS["shift"], STEPS["shift"]
    params, step_params = clean_up.params(by=by), step.params(by=by)
    whole = clean_up.apply(level, params=params, rate=RATE)
    np.testing.assert_allclose(cleaned(clean_up, params, level, cuts), whole, atol=1e-12)
    np.testing.assert_allclose(stepped(step, step_params, level, cuts), whole, atol=1e-12)
    earlier = clean_up.params(by=-by)
    np.testing.assert_array_equal(cleaned(clean_up, earlier, level, cuts), level)
    assert "left out" in clean_up.live.words(earlier)


def test_equalise_live_remembers_half_a_minute_however_it_comes():
    live, params = CLEAN_UPS["equalise"].live, CLEAN_UPS["equalise"].params(percentile=100)
    rate, level = FrameRate.parse("2"), some_level((3, N))  # two minutes at two frames a second: 60 are remembered
    once, flow = live.flow(params, rate)(level), live.flow(params, rate)
    np.testing.assert_allclose(np.concatenate([flow(level[:, at : at + 7]) for at in range(0, N, 7)], axis=1), once)
    tops = [level[:, max(0, at - 59) : at + 1].max(axis=1) for at in range(N)]
    np.testing.assert_allclose(once, level / np.maximum(np.transpose(tops), 1e-9))

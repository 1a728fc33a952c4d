"""From level to lift to value."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fern_tide.core.base.errors import InvalidParameter, UnknownName
from fern_tide.core.base.target import Target
from fern_tide.core.base.units import TimeUnit, from_db, to_db
from fern_tide.core.mapping.colour import colour_texts, mix_colours, parse_colour
from fern_tide.core.mapping.drive import Drive, ResponseChoice, value
from fern_tide.core.mapping.linking import along, relinked
from fern_tide.core.mapping.mapping import Mapping, StepChoice
from fern_tide.core.mapping.marks import Marks, Scale, crossings, histogram, lift, suggest_marks
from fern_tide.core.mapping.steps.shift import ShiftParams, shift
from fern_tide.core.mapping.steps.stairs import StairsParams, stairs

LAMP = Target(part="lamp", property="turn")


def drive(rest, full, response="straight"):
    return Drive(target=LAMP, rest=rest, full=full, response=ResponseChoice.parse(response))


def test_lift_is_0_at_low_water_half_way_half_and_1_at_high_water():
    marks = Marks(low=0.2, high=0.6)
    np.testing.assert_allclose(lift(np.array([0.0, 0.2, 0.4, 0.6, 1.0]), marks=marks), [0, 0, 0.5, 1, 1])


def test_lift_in_db_runs_evenly_in_db():
    marks = Marks(low="-40dB", high="-20dB", scale=Scale.DB)
    np.testing.assert_allclose(
        lift(from_db(np.array([-60.0, -40, -30, -20, 0])), marks=marks), [0, 0, 0.5, 1, 1], atol=1e-12
    )


def test_spill_goes_on_above_1():
    assert lift(np.array([0.9]), marks=Marks(low=0.1, high=0.5, spill=True))[0] == pytest.approx(2.0)


@pytest.mark.parametrize(("low", "high"), [(0.5, 0.5), (0.6, 0.2), ("-10dB", "-20dB")])
def test_marks_that_cross_are_refused(low, high):
    with pytest.raises(InvalidParameter, match="High water"):
        Marks(low=low, high=high)


@given(
    st.floats(-1e6, 1e6),
    st.floats(-1e6, 1e6),
    st.sampled_from(["straight", "exponent power=0.3", "exponent power=4", "smooth"]),
)
def test_silence_gives_exactly_the_rest_value(rest, full, response):
    assert value(np.zeros(3), drive=drive(rest, full, response)).tolist() == [rest] * 3
    np.testing.assert_allclose(value(np.ones(3), drive=drive(rest, full, response)), full, rtol=1e-9, atol=1e-9)


def test_exponent_bends_by_hand():
    assert value(np.array([0.25]), drive=drive(0, 8, "exponent power=0.5"))[0] == pytest.approx(4.0)


def test_colours_have_exact_ends_and_mix_evenly_between():
    mixed = mix_colours("#102030", "#f7dfa0", share=np.array([0.0, 0.5, 1.0]))
    texts = colour_texts(mixed)
    assert texts[0] == "#102030" and texts[2] == "#f7dfa0"
    grey = colour_texts(mix_colours("#000000", "#ffffff", share=np.array([0.5])))[0]
    assert grey == "#636363"  # half of OKLab's lightness, which cubes to an eighth of the light


@given(st.integers(0, 2**24 - 1))
def test_a_colour_is_read_and_written_back(number):
    text = f"#{number:06x}"
    assert colour_texts(parse_colour(text)[:, np.newaxis]) == [text]


@pytest.mark.parametrize("text", ["red", "#fff", "#12345g", "url(x)", ""])
def test_what_is_no_colour_is_refused(text):
    with pytest.raises(InvalidParameter, match="a colour such as"):
        parse_colour(text)


def test_a_number_does_not_mix_with_a_colour():
    with pytest.raises(InvalidParameter, match="at full"):
        drive(0.5, "#ffffff")


def test_stairs_stay_until_the_next_level_is_clearly_reached():
    lift_ = np.array([0.0, 0.15, 0.18, 0.3, 0.2, 0.14, 1.0, 0.0])
    out = stairs(lift_, params=StairsParams(levels=4, stickiness=0.2), context=None)
    np.testing.assert_allclose(out * 3, [0, 0, 0, 1, 1, 1, 3, 0])
    sinking = stairs(np.array([0.34, 0.13]), params=StairsParams(levels=4, stickiness=0.2), context=None)
    np.testing.assert_allclose(sinking * 3, [1, 0])


def test_a_shift_by_frames_and_ms_is_exact(context):
    ramp = np.arange(10.0)
    earlier = shift(ramp, params=ShiftParams(by=-2), context=context)
    assert earlier[:8].tolist() == ramp[2:].tolist()
    half = shift(ramp, params=ShiftParams(by=50, counted_in=TimeUnit.MS), context=context)  # 1.5 frames at 30 fps
    np.testing.assert_allclose(half[2:], ramp[2:] - 1.5)


def test_rises_over_a_mark_are_counted_once_each():
    assert crossings(np.array([0.5, 0.1, 0.5, 0.6, 0.1, 0.5]), mark=0.3) == 3
    assert crossings(np.zeros(0), mark=0.3) == 0


def test_the_histogram_counts_every_frame():
    level = np.random.default_rng(1).random(500)
    for scale in Scale:
        counts, low, high = histogram(level, scale=scale)
        assert counts.sum() == 500
        assert low < high


def hits_over_noise(noise_db, hit_db, *, every=15, n=900):
    rng = np.random.default_rng(4)
    db = noise_db + rng.normal(size=n)
    for start in range(3, n - 5, every):
        db[start : start + 5] = hit_db - np.arange(5) * 2.5
    return from_db(db)


@pytest.mark.parametrize(("noise_db", "hit_db"), [(-50, -12), (-38, -9), (-60, -30)])
@pytest.mark.parametrize("scale", list(Scale))
def test_suggested_marks_lie_above_the_noise_and_in_the_body_of_the_hits(noise_db, hit_db, scale):
    level = hits_over_noise(noise_db, hit_db)
    marks = suggest_marks(level, scale=scale).marks
    assert noise_db + 1 < to_db(marks.low) < noise_db + 8
    assert hit_db - 10 < to_db(marks.high) <= hit_db + 0.1
    assert crossings(level, mark=marks.low) == pytest.approx(60, abs=2)
    assert marks.scale is scale


def test_marks_are_suggested_for_a_slow_pad_too():
    swell = 0.3 * np.sin(np.linspace(0, np.pi, 600)) ** 2
    moved = lift(swell, marks=suggest_marks(swell, scale=Scale.LINEAR).marks)
    assert moved.max() == 1 and 0.2 < moved.mean() < 0.8


def test_a_steady_tone_is_at_full_while_it_sounds():
    tone = np.concatenate([np.zeros(40), np.full(200, 0.25), np.zeros(20)])
    moved = lift(tone, marks=suggest_marks(tone, scale=Scale.LINEAR).marks)
    assert moved[:40].max() == 0 and moved[40:240].min() == pytest.approx(1)


@given(st.lists(st.floats(0, 1), max_size=40))
def test_any_level_gets_possible_marks(levels):
    suggest_marks(np.array(levels), scale=Scale.DB)


def test_an_unknown_step_lists_the_known_ones():
    with pytest.raises(UnknownName, match="no step named stares. Use one of: blend, build_up, exponent"):
        StepChoice.parse("stares levels=3")


def test_what_goes_along_with_a_drive_changes_with_it_until_it_is_changed_itself():
    height = Drive(target=Target.parse("fern:scale_y"), rest=1.0, full=2.0)
    width = along(height, Drive(target=Target.parse("fern:scale_x"), rest=0, full=0, other_way=True))
    depth = along(height, Drive(target=Target.parse("fern:scale_z"), rest=0, full=0))
    assert (width.rest, width.full, depth.full) == (1.0, 0.5, 2.0)
    before = Mapping(id="m", name="M", envelope="e", marks=Marks(low=0.1, high=0.9), drives=(height, width, depth))

    def edited(*drives: Drive) -> tuple[Drive, ...]:
        return relinked(before, before.but(drives=drives)).drives

    taller = height.but(full=4.0, late_frames=3.0)
    assert [(d.full, d.late_frames) for d in edited(taller, width, depth)] == [(4.0, 3.0), (0.25, 3.0), (4.0, 3.0)]
    alone = edited(height, width, depth.but(full=3.0))
    assert (alone[1].along, alone[2].along, alone[2].full) == (height.target, None, 3.0)
    gone = relinked(before, before.but(drives=(width, depth))).drives
    assert [d.along for d in gone] == [None, None] and gone[0].full == 0.5
    assert relinked(None, before) == before

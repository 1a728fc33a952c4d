"""Drives: lateness, colours with stops, the other way, drawn responses; and why a value is so."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.colour import colour_texts, mix_colours, mix_gradient, parse_colour
from fern_tide.core.mapping.drive import RESPONSES, Drive, ResponseChoice, Stop, inverted, value
from fern_tide.core.mapping.explain import explain
from fern_tide.core.mapping.mapping import Mapping, StepChoice, drive_lift, shaped_lift, traces
from fern_tide.core.mapping.marks import Marks, Scale, suggest_marks
from fern_tide.core.mapping.responses.drawn import read_points
from fern_tide.core.mapping.step import StepContext

TURN = Target(part="lamp", property="turn")
FILL = Target(part="lamp", property="fill")
CONTEXT = StepContext(rate=FrameRate.parse("30"))


def mapping(*drives, steps=(), marks=None, **more):
    chosen = tuple(StepChoice.parse(text) for text in steps)
    marks = marks or Marks(low=0.0, high=1.0)
    return Mapping(id="m", name="M", envelope="e", marks=marks, steps=chosen, drives=drives, **more)


def ease(text, x):
    choice = ResponseChoice.parse(text)
    return RESPONSES[choice.id].apply(np.asarray(x, dtype=float), params=choice.params)


def test_a_share_multiplies_what_the_response_gives():
    lift = np.array([0.0, 0.25, 1.0, 1.5])
    drive = Drive(target=TURN, rest=10.0, full=30.0, response=ResponseChoice.parse("exponent power=2"))
    whole, half = (value(lift, drive=drive.but(share=share)) for share in (1.0, -0.5))
    np.testing.assert_allclose(half - 10.0, -0.5 * (whole - 10.0))
    colour = Drive(target=FILL, rest="#000000", full="#ffffff", share=0.0)
    assert not value(lift, drive=colour).any()
    with pytest.raises(InvalidParameter):
        drive.but(share=11.0)


def test_a_late_drive_moves_so_many_frames_later_and_fractions_lie_between():
    lift = np.array([0.0, 1.0, 0.0, 0.0, 0.5])
    late = Drive(target=TURN, rest=0.0, full=1.0, late_frames=1.5)
    early = late.model_copy(update={"target": FILL, "late_frames": -1.0})
    both = mapping(late, early)
    np.testing.assert_allclose(drive_lift(lift, both, late), [0, 0, 0.5, 0.5, 0])
    np.testing.assert_allclose(drive_lift(lift, both, early), [1, 0, 0, 0.5, 0.5])


def test_a_gradient_meets_each_colour_exactly_and_mixes_neighbours_between():
    drive = Drive(target=FILL, rest="#102030", full="#ffffff", stops=(Stop(at=0.25, colour="#ff0000"),))
    out = value(np.array([0.0, 0.25, 1.0, 0.125]), drive=drive)
    assert colour_texts(out)[:3] == ["#102030", "#ff0000", "#ffffff"]
    np.testing.assert_allclose(out[:, 3:], mix_colours("#102030", "#ff0000", share=np.array([0.5])), atol=1e-14)
    np.testing.assert_array_equal(out[:, 1], parse_colour("#ff0000"))


@given(at=st.floats(0.01, 0.99), share=st.floats(0, 1))
def test_a_stop_that_lies_on_the_way_anyway_changes_nothing_much(at, share):
    colours = ("#1e6f8b", "#c4572e")
    middle = colour_texts(mix_colours(*colours, share=np.array([at])))[0]
    with_stop = mix_gradient((colours[0], middle, colours[1]), places=(0.0, at, 1.0), share=np.array([share]))
    np.testing.assert_allclose(with_stop, mix_colours(*colours, share=np.array([share])), atol=0.01)


def test_a_latch_flips_a_colour_above_a_level_and_nothing_lies_between():
    drive = Drive(target=FILL, rest="#1e6f8b", full="#c4572e")
    flips = mapping(drive, steps=("latch on_above=0.6 off_below=0.4",))
    lift = shaped_lift(np.array([0.0, 0.5, 0.7, 0.5, 0.3, 0.9]), flips, context=CONTEXT)
    assert colour_texts(value(lift, drive=drive)) == ["#1e6f8b", "#1e6f8b", "#c4572e", "#c4572e", "#1e6f8b", "#c4572e"]


def test_stops_are_in_order_and_only_colours_have_them():
    two = (Stop(at=0.5, colour="#ffffff"), Stop(at=0.5, colour="#000000"))
    with pytest.raises(InvalidParameter, match=r"more than the one before, 0\.5"):
        Drive(target=FILL, rest="#000000", full="#ffffff", stops=two)
    with pytest.raises(InvalidParameter, match="only colours"):
        Drive(target=TURN, rest=0.0, full=1.0, stops=two[:1])
    with pytest.raises(ValueError, match="less than 1"):
        Stop(at=1.0, colour="#ffffff")


def test_the_other_way_keeps_the_area_of_a_scale_and_mirrors_the_rest():
    taller = Drive(target=Target(part="b", property="scale_y"), rest=1.0, full=1.6)
    assert inverted(taller).full == pytest.approx(1 / 1.6)
    assert taller.full * inverted(taller).full == pytest.approx(taller.rest**2)
    assert inverted(Drive(target=TURN, rest=5.0, full=12.0)).full == -2.0
    flat = Drive(target=Target(part="b", property="scale_y"), rest=0.0, full=1.0)
    assert inverted(flat).full == -1.0  # nothing to divide by
    ends = Drive(target=FILL, rest="#000000", full="#ffffff", stops=(Stop(at=0.25, colour="#ff0000"),))
    turned = inverted(ends)
    assert (turned.rest, turned.full, turned.stops[0].at) == ("#ffffff", "#000000", 0.75)
    assert inverted(turned) == ends


def test_a_drawn_response_goes_through_its_points_and_stays_between_their_heights():
    out = ease("drawn points='0.25 0.5, 0.75 0.25'", [0, 0.25, 0.75, 1])
    np.testing.assert_allclose(out, [0, 0.5, 0.25, 1], atol=1e-12)
    x = np.linspace(0, 1, 201)
    curve = ease("drawn points='0.25 0.5, 0.75 0.25'", x)
    for low, high, bottom, top in ((0, 0.25, 0, 0.5), (0.25, 0.75, 0.25, 0.5), (0.75, 1, 0.25, 1)):
        piece = curve[(x >= low) & (x <= high)]
        assert piece.min() >= bottom - 1e-12 and piece.max() <= top + 1e-12
    np.testing.assert_allclose(ease("drawn points=''", x), x, atol=1e-12)


@given(
    st.lists(st.tuples(st.floats(0.01, 0.99), st.floats(0, 1)), max_size=6, unique_by=lambda pair: round(pair[0], 2))
)
def test_a_drawn_response_through_ascending_points_never_goes_back(pairs):
    across, up = sorted(round(x, 2) for x, _ in pairs), sorted(y for _, y in pairs)
    text = ", ".join(f"{x} {y:.6f}" for x, y in zip(across, up, strict=True))
    curve = ease(f"drawn points='{text}'", np.linspace(0, 1, 301))
    assert (np.diff(curve) >= -1e-9).all()


@pytest.mark.parametrize(
    "text",
    ["0.5", "a b", "0.5 0.5 0.5", "0 0.1", "1 0.5", "0.6 0.1, 0.4 0.2", "0.5 9", "0.5 nan", "nan 0.5", "0.5 1e9"],
)
def test_points_that_are_none_are_refused_with_what_is_allowed(text):
    with pytest.raises(InvalidParameter, match=r"pairs|heights"):
        read_points(text)
    with pytest.raises(InvalidParameter, match="points"):
        ResponseChoice.parse(f"drawn points='{text}'")


def test_build_up_starts_over_at_markers():
    choice = StepChoice.parse("build_up per_second=10 starts_over=yes hits=markers")
    context = StepContext(rate=FrameRate.parse("10"), marker_frames=np.array([3, 99]))
    out = choice.spec.apply(np.ones(6), params=choice.params, context=context)
    np.testing.assert_allclose(out, [0, 1, 2, 0, 1, 2])
    assert choice.spec.needs_markers(choice.params) and not choice.spec.needs_hits(choice.params)


def test_traces_are_lift_after_every_step_and_one_that_is_off_leaves_it():
    chosen = mapping(Drive(target=TURN, rest=0.0, full=1.0), steps=("flip", "exponent power=2", "flip"))
    off = chosen.model_copy(
        update={"steps": (chosen.steps[0], chosen.steps[1].model_copy(update={"on": False}), chosen.steps[2])}
    )
    level = np.array([0.0, 0.25, 1.0])
    found = traces(level, off, context=CONTEXT)
    np.testing.assert_allclose(found, [level, 1 - level, 1 - level, level])
    np.testing.assert_array_equal(found[-1], shaped_lift(level, off, context=CONTEXT))


def test_why_a_value_is_so_is_told_with_the_very_numbers_of_the_bake():
    drive = Drive(target=TURN, rest=10.0, full=30.0, response=ResponseChoice.parse("exponent power=2"), late_frames=1.0)
    chosen = mapping(drive, steps=("flip", "wobble"), marks=Marks(low=0.1, high=0.5, scale=Scale.LINEAR))
    chosen = chosen.model_copy(update={"steps": (chosen.steps[0], chosen.steps[1].model_copy(update={"on": False}))})
    level = np.array([0.2, 0.3, 0.0, 0.9])
    said = explain(level, chosen, drive, context=CONTEXT, frame=2)
    assert [line.word for line in said] == ["Level", "Lift", "Flip", "Wobble", "Exponent", "Value"]
    assert [line.number for line in said] == ["-10.5 dB", "0.500", "0.500", "off", "0.250", "15"]
    lift = drive_lift(shaped_lift(level, chosen, context=CONTEXT), chosen, drive)
    assert float(said[-1].number) == value(lift, drive=drive)[2]
    assert "low water" in explain(level, chosen, drive, context=CONTEXT, frame=3)[1].note
    assert explain(level, chosen, drive, context=CONTEXT, frame=99) == explain(
        level, chosen, drive, context=CONTEXT, frame=3
    )
    colour = Drive(target=FILL, rest="#000000", full="#ffffff")
    assert explain(level, mapping(colour), colour, context=CONTEXT, frame=2)[-1].number == "#000000"


def test_a_suggestion_says_why_in_numbers():
    rng = np.random.default_rng(3)
    noise = 0.004 * (1 + 0.2 * rng.standard_normal(900))
    noise[::30] = 0.35
    noise[1::30] = 0.3
    assert suggest_marks(np.abs(noise), scale=Scale.DB).reason.startswith("Noise sits below -4")
    assert "hits reach -" in suggest_marks(np.abs(noise), scale=Scale.DB).reason
    assert "steady" in suggest_marks(np.full(90, 0.5), scale=Scale.DB).reason
    assert "next to nothing" in suggest_marks(np.zeros(90), scale=Scale.DB).reason
    steady = suggest_marks(np.full(90, 0.5), scale=Scale.LINEAR, in_db=False).reason
    bent = np.concatenate([np.full(55, 0.25), np.full(945, 0.5)])  # 5.5 % of it 6 dB below the rest
    assert "steady" not in suggest_marks(bent, scale=Scale.DB).reason
    assert steady == "A steady sound at 50 %: at full while it sounds."
    even = suggest_marks(np.linspace(0.2, 1.0, 400), scale=Scale.LINEAR, in_db=False).reason
    assert even == "No gap between low and high: most of it lies from 32 % to 96 %."
    even = 10 ** (np.linspace(-30, -10, 900) / 20)
    assert suggest_marks(even, scale=Scale.DB).reason.startswith("No gap between quiet and loud")


def test_no_copy_can_be_what_no_value_may_be():
    drive = Drive(target=TURN, rest=0.0, full=1.0)
    with pytest.raises(InvalidParameter, match="only colours"):
        drive.model_copy(update={"stops": (Stop(at=0.5, colour="#ffffff"),)})
    with pytest.raises(InvalidParameter, match="full"):
        drive.but(full=1e12)
    flat = Drive(target=Target(part="b", property="scale_y"), rest=1.0, full=1e-12)
    with pytest.raises(InvalidParameter, match="full"):
        inverted(flat)
    with pytest.raises(InvalidParameter, match="other"):
        drive.but(other=1)
    assert drive.but() == drive and drive.but(full=2).full == 2.0

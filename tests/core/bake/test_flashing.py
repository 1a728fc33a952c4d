"""Flashes of made pictures, on both sides of every limit of WCAG 2.3.1."""

import numpy as np
import pytest

from fern_tide.core.bake.flashing import FlashMeter

TALL, WIDE = 72, 96


def measured(frames, fps=30.0):
    meter = FlashMeter(fps)
    for frame in frames:
        meter.take(frame)
    return meter.flashing()


def picture(colour, *, under=(0, 0, 0), wide=WIDE, tall=TALL, left=0, top=0):
    out = np.empty((TALL, WIDE, 3), dtype=np.uint8)
    out[:] = under
    out[top : top + tall, left : left + wide] = colour
    return out


def blinking(on, off, *, every, seconds=2, fps=30):
    return [(on if (k // every) % 2 else off) for k in range(int(seconds * fps))]


DARK, WHITE = picture((0, 0, 0)), picture((255, 255, 255))


def test_three_flashes_in_a_second_pass_and_four_do_not():
    three = measured(blinking(WHITE, DARK, every=5))  # six changes a second
    assert three.most[0] == 3 and three.passes
    four = measured([(WHITE if (k * 8 // 30) % 2 else DARK) for k in range(60)])
    assert four.most[0] == 4 and not four.passes and not four.red.any()
    assert measured([(WHITE if (k * 8 // 60) % 2 else DARK) for k in range(120)], fps=60.0).most[0] == 4


def level(luminance):
    """Give the grey of a relative luminance."""
    srgb = 12.92 * luminance if luminance <= 0.0031308 else 1.055 * luminance ** (1 / 2.4) - 0.055
    return picture([round(255 * srgb)] * 3)


@pytest.mark.parametrize(
    ("low", "high", "flashes"),
    [
        (0.10, 0.19, False),  # a tenth is what counts
        (0.10, 0.21, True),
        (0.82, 0.99, False),  # the darker is not below 0.80
        (0.78, 0.95, True),
    ],
)
def test_how_much_and_how_dark(low, high, flashes):
    assert (not measured(blinking(level(high), level(low), every=3)).passes) is flashes


@pytest.mark.parametrize(("wide", "flashes"), [(7, False), (8, True)])
def test_a_quarter_of_a_third_counts(wide, flashes):
    """A rectangle of a third is 32 x 24 here: of its 768 places, 8 x 24 are a quarter."""
    spot = picture((255, 255, 255), wide=wide, tall=24, left=50, top=30)
    assert (not measured(blinking(spot, DARK, every=3)).passes) is flashes


def test_places_that_are_small_each_and_far_apart_do_not_add_up():
    spots = DARK.copy()
    for left in range(0, WIDE, 32):
        spots[::12, left : left + 6] = 255
    assert np.count_nonzero(spots[..., 0]) > 96 and measured(blinking(spots, DARK, every=3)).passes


def test_a_saturated_red_flashes_where_its_luminance_does_not():
    dark_red = picture((110, 0, 0))
    flashing = measured(blinking(dark_red, DARK, every=3))
    assert not flashing.passes and not flashing.general.any() and flashing.red.max() == 5
    brown = picture((110, 60, 60))
    assert not measured(blinking(brown, DARK, every=3)).red.any(), "that is no saturated red"
    for other in ((200, 120, 0), (200, 0, 120)):
        assert not measured(blinking(picture(other), DARK, every=3)).red.any(), "green and blue both count against it"


def test_a_slow_rise_is_no_flash_and_a_still_picture_none():
    ramp = [level(0.5 - 0.5 * np.cos(2 * np.pi * k / 60)) for k in range(120)]
    assert measured(ramp).most[0] <= 1
    assert measured([WHITE] * 60).most == (0.0, 0) and measured([]).most == (0.0, 0)


def test_halves_that_trade_places_flash_as_often_as_each():
    left, right = picture((255, 255, 255), wide=48), picture((255, 255, 255), wide=48, left=48)
    assert measured(blinking(left, right, every=3)).most[0] == 5


def test_spots_that_are_a_quarter_only_all_together_do_not_flash():
    far = picture((255, 255, 255), wide=5, tall=24, top=4)
    far[40:64, 80:85] = 255
    assert np.count_nonzero(far[..., 0]) == 240 > 192 and measured(blinking(far, DARK, every=3)).passes


@pytest.mark.parametrize(("light", "flashes"), [(0.060, 0), (0.066, 5)])
def test_red_changes_by_a_sixteenth(light, flashes):
    """(R - G - B) x 320 above 20: a linear red above 0.0625, which is no tenth of luminance."""
    red = picture((round(255 * (1.055 * light ** (1 / 2.4) - 0.055)), 0, 0))
    found = measured(blinking(red, DARK, every=3))
    assert found.red.max() == flashes and not found.general.any()


def test_a_second_is_as_many_frames_as_there_are_in_one():
    dark, white = [DARK], [WHITE]
    assert measured(dark + white * 29 + dark * 9).most == (1, 30)  # up in frame 1, down in frame 30
    assert measured(dark + white * 30 + dark * 9).most[0] == 0


@pytest.mark.parametrize(("between", "flashes"), [(1, 3), (3, 3), (4, 0)])
def test_what_changes_within_a_twentieth_of_a_second_changes_together(between, flashes):
    left, both = picture((255, 255, 255), wide=4, tall=24), picture((255, 255, 255), wide=8, tall=24)
    right = both.copy()
    right[:, :4] = 0  # neither half is a quarter of the rectangle; one comes and goes before the other
    turn = [left] * between + [both] * (5 - between) + [right] * between + [DARK] * (5 - between)
    assert measured([DARK, *turn * 3], fps=60.0).most[0] == flashes

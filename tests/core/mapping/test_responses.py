"""Each response by hand."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fern_tide.core.mapping.drive import RESPONSES, ResponseChoice


def run(text, lift):
    choice = ResponseChoice.parse(text)
    return RESPONSES[choice.id].apply(np.asarray(lift, dtype=float), params=choice.params)


@pytest.mark.parametrize(
    ("family", "quarter"),
    [
        ("sine", 1 - np.cos(np.pi / 8)),
        ("quadratic", 1 / 16),
        ("cubic", 1 / 64),
        ("quartic", 1 / 256),
        ("exponential", (2**2.5 - 1) / 1023),
        ("circular", 1 - np.sqrt(15 / 16)),
    ],
)
def test_eases_are_gentle_at_the_end_that_is_chosen(family, quarter):
    start, end, both = (
        run(f"ease family={family} at={at}", [0.125, 0.25, 0.5, 0.75, 0.875]) for at in ("start", "end", "both")
    )
    assert start[1] == pytest.approx(quarter) and end[3] == pytest.approx(1 - quarter)
    assert both[0] == pytest.approx(quarter / 2) and both[2] == pytest.approx(0.5)
    np.testing.assert_allclose(both + both[::-1], 1)


@pytest.mark.parametrize("family", ["sine", "quadratic", "cubic", "quartic", "exponential", "circular"])
@pytest.mark.parametrize("at", ["start", "end", "both"])
@given(lift=st.lists(st.floats(0, 1), min_size=2, max_size=30))
def test_eases_never_turn_back(family, at, lift):
    out = run(f"ease family={family} at={at}", sorted(lift))
    assert (np.diff(out) >= -1e-12).all() and (out >= -1e-12).all() and (out <= 1 + 1e-12).all()


def test_overshoot_goes_past_full_once_and_elastic_more_than_once():
    x = np.linspace(0, 1, 1001)
    over = run("overshoot by=1.7", x)
    assert 1.05 < over.max() < 1.15 and np.count_nonzero(np.diff(np.sign(np.diff(over)))) == 1
    assert run("overshoot by=0", [0.5])[0] == pytest.approx(0.875)
    swings = run("elastic swings=3 decay=5", x)
    assert swings.max() > 1.2 and np.count_nonzero(np.diff(np.sign(swings - 1))) >= 5


def test_a_bounce_comes_off_full_as_high_and_as_often_as_it_is_told():
    x = np.linspace(0, 1, 100_001)
    out = run("bounce bounces=2 height=0.25", x)
    total = 1 + 2 * 0.5 + 2 * 0.25
    touch = [1 / total, 2 / total]
    np.testing.assert_allclose(run("bounce bounces=2 height=0.25", touch), 1, atol=1e-9)
    assert out[(x > touch[0]) & (x < touch[1])].min() == pytest.approx(0.75, abs=1e-6)
    assert out[x > touch[1]].min() == pytest.approx(1 - 0.0625, abs=1e-6)
    assert run("bounce bounces=2 height=0.25", [0.5 / total])[0] == pytest.approx(0.25)


@pytest.mark.parametrize(
    ("handles", "x", "y"),
    [
        ((0, 0, 1, 1), 0.3, 0.3),
        ((0.25, 0.1, 0.25, 1), 0.5, 0.802403387),  # 'ease' of CSS
        ((0.42, 0, 1, 1), 0.5, 0.315356813),  # 'ease-in' of CSS
        ((0, 1, 0, 1), 0.125, 0.875),
    ],
)
def test_a_bezier_is_that_of_css(handles, x, y):
    text = " ".join(f"{name}={value}" for name, value in zip(("x1", "y1", "x2", "y2"), handles, strict=True))
    assert run(f"bezier {text}", [x])[0] == pytest.approx(y, abs=2e-6)


@pytest.mark.parametrize("name", RESPONSES)
def test_outside_0_to_1_it_goes_on_and_stays_finite(name):
    out = run(name, [-0.5, 0.0, 1.0, 1.5])
    assert out[1] == 0 and out[2] == 1 and out[0] < 0 and out[3] > 1

"""Steps that calm: by hand, what they promise of any lift, and measured as flashes of pictures."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.bake.test_flashing import measured, picture
from tests.core.mapping.test_steps import LIFTS, run


def test_it_follows_as_fast_as_it_may():
    np.testing.assert_allclose(
        run("speed_limit up=2 down=1", [0, 1, 1, 1, 0.5, 0.5, 0]), [0, 0.2, 0.4, 0.6, 0.5, 0.5, 0.4]
    )
    two = run("speed_limit up=1000 down=1", [[0, 1, 0, 0], [1, 0, 0, 1]])
    np.testing.assert_allclose(two, [[0, 1, 0.9, 0.8], [1, 0.9, 0.8, 1]])
    half = run("speed_limit up=2 down=2", np.repeat([0, 1, 1], 2), rate="20")
    np.testing.assert_allclose(half[[1, 3, 5]], [0, 0.2, 0.4], err_msg="the same motion at twice the rate")


@given(LIFTS, st.floats(0.5, 30), st.floats(0.5, 30))
def test_no_step_of_it_is_faster_than_its_limits(lift, up, down):
    moved = run(f"speed_limit up={up} down={down}", lift)
    steps = np.diff(moved)
    assert moved[0] == lift[0] and (steps <= up / 10 + 1e-9).all() and (steps >= -down / 10 - 1e-9).all()
    assert moved.min() >= lift.min() - 1e-12 and moved.max() <= lift.max() + 1e-12


def test_it_rises_so_often_and_falls_as_it_will():
    lift = [0, 1, 0.5, 1, 0, 0.9, 0.95, 0.4, 0.8, 0]
    wanted = [0, 1, 0.5, 0.5, 0, 0.9, 0.95, 0.4, 0.4, 0]
    np.testing.assert_allclose(run("seldom per_s=2.5", lift), wanted)
    late = run("seldom per_s=2.5", [0, 1, 0, 1, 1, 1, 1])
    np.testing.assert_allclose(late, [0, 1, 0, 0, 0, 1, 1], err_msg="a rise that is still there begins late")
    np.testing.assert_allclose(run("seldom per_s=10", lift), lift)
    np.testing.assert_allclose(run("seldom per_s=10 least=0.3", [0, 0.2, 0.29, 0.3, 0.35]), [0, 0, 0, 0.3, 0.35])
    np.testing.assert_allclose(run("seldom", [[0, 1], [1, 0]]), [[0, 1], [1, 0]])


@given(LIFTS, st.floats(0.5, 10), st.floats(0.01, 0.5))
def test_rises_are_apart_and_it_is_never_above_the_lift(lift, per_s, least):
    moved = run(f"seldom per_s={per_s} least={least}", lift)
    assert moved[0] == lift[0] and (moved <= lift + 1e-12).all()
    up = np.diff(moved) > 0
    begins = np.flatnonzero(up & ~np.concatenate([[False], up[:-1]]))
    assert (np.diff(begins) >= 10 / per_s - 1 - 1e-9).all()


@pytest.mark.parametrize("per_second", [5, 8, 15])
def test_a_light_that_flickers_flashes_no_more_than_is_allowed(per_second):
    lift = (np.sin(2 * np.pi * per_second * np.arange(90) / 30 + 0.3) > 0).astype(float)

    def flashes(one):
        return measured([picture([round(255 * value)] * 3) for value in one]).most[0]

    calm = run("seldom per_s=2", lift, rate="30")
    assert flashes(lift) > 3 and 1 <= flashes(calm) <= 3

"""Turns as angles, quaternions and matrices."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fern_tide.core.scene.rotation import (
    continued,
    matrices,
    parted,
    quaternions,
    slerped,
    turned_apart,
    turns_of,
    turns_of_quaternion,
)

TURNS = st.floats(-170, 170).map(lambda value: round(value, 2))


@given(x=TURNS, y=st.floats(-85, 85), z=TURNS)
def test_turns_survive_quaternions_and_matrices(x, y, z):
    turns = np.array([[x], [y], [z]])
    quaternion = quaternions(turns)
    np.testing.assert_allclose(np.linalg.norm(quaternion, axis=0), 1, atol=1e-12)
    back = turns_of_quaternion(quaternion[:, 0])
    np.testing.assert_allclose(matrices(quaternions(back[:, None])), matrices(quaternion), atol=1e-6)
    np.testing.assert_allclose(turns_of(matrices(quaternion)[:, :, 0]), turns[:, 0], atol=1e-6)


def test_turns_about_one_axis_are_what_they_say():
    rotation = matrices(quaternions(np.array([[0.0], [0.0], [90.0]])))[:, :, 0]
    np.testing.assert_allclose(rotation @ [1, 0, 0], [0, 1, 0], atol=1e-12)
    order = matrices(quaternions(np.array([[90.0], [0.0], [90.0]])))[:, :, 0]  # z first, then x
    np.testing.assert_allclose(order @ [1, 0, 0], [0, 0, 1], atol=1e-12)


def test_a_turn_past_half_a_circle_never_goes_the_long_way_round():
    turns = np.zeros((3, 400))
    turns[2] = np.linspace(0, 1000, 400)
    found = quaternions(turns)
    assert (np.sum(found[:, 1:] * found[:, :-1], axis=0) > 0.99).all()


def test_the_angle_between_orientations_is_measured_in_degrees():
    one, other = (quaternions(np.array([[0.0], [a], [0.0]])) for a in (10.0, 10.5))
    assert turned_apart(one, other)[0] == pytest.approx(0.5, abs=1e-6)
    assert turned_apart(one, -one)[0] == pytest.approx(360.0)  # it looks the same, a whole turn later


def test_signs_go_on_with_the_turn_and_players_go_the_shorter_way():
    turns = np.zeros((3, 9))
    turns[1] = np.arange(9) * 90.0
    found = quaternions(turns)
    np.testing.assert_allclose(found[:, 4], -found[:, 0], atol=1e-12)
    np.testing.assert_allclose(continued(found * [1, -1, 1, 1, -1, 1, 1, 1, -1]), found, atol=1e-12)
    half = slerped((found[:, :1], found[:, 3:4]), np.array([0.5]))  # 270 degrees on is 90 back
    np.testing.assert_allclose(matrices(half), matrices(quaternions(np.array([[0.0], [-45.0], [0.0]]))), atol=1e-12)


def test_a_mirrored_matrix_keeps_its_handedness():
    matrix = np.diag([-2.0, 3.0, 4.0, 1.0])
    _, quaternion, scale = parted(matrix)
    made = matrices(quaternion[:, None])[:, :, 0] * scale
    np.testing.assert_allclose(made, matrix[:3, :3], atol=1e-9)

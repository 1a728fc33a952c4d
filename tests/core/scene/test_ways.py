"""Ways against circles, lines and float integrals."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import quad

from fern_tide.core.scene.svg.outline import path_curves, shape_curves
from fern_tide.core.scene.way import of_curves, straight, through
from fern_tide.core.scene.way_params import WayParams

SHARES = np.linspace(0.0, 1.0, 401)
CIRCLE = {"id": "ellipse", "params": {"cx": 0, "cy": 0, "rx": 100, "ry": 100}}


def way(points, **more):
    return through(np.array(points, dtype=float), closed=more.get("closed", False))


def test_a_circle_is_as_long_as_it_is_and_run_through_at_even_speed():
    line = of_curves(shape_curves("circle", {"cx": "10", "cy": "20", "r": "100"}))
    assert line.length == pytest.approx(200 * np.pi, rel=1e-6) and line.closed
    x, y, z = line.points(SHARES)
    angles = 2 * np.pi * SHARES
    np.testing.assert_allclose([x, y], [10 + 100 * np.cos(angles), 20 + 100 * np.sin(angles)], atol=1e-4)
    tangents = line.tangents(SHARES)
    np.testing.assert_allclose(tangents, [-np.sin(angles), np.cos(angles), 0 * angles], atol=1e-4)
    np.testing.assert_allclose(
        line.bends(SHARES), [-np.cos(angles) / 100, -np.sin(angles) / 100, 0 * angles], atol=1e-5
    )
    assert not z.any()


@given(st.lists(st.tuples(*[st.floats(-1000, 1000)] * 3), min_size=2, max_size=9), st.booleans())
def test_any_way_is_run_through_at_even_speed_within_a_ten_thousandth_of_its_length(points, closed):
    line = of_curves(through(np.array(points), closed=closed))
    if line is None:
        return
    lengths = []
    for curve in line.curves:
        a, b, c, d = curve

        def speed(t, a=a, b=b, c=c, d=d):
            return np.linalg.norm(3 * ((1 - t) ** 2 * (b - a) + 2 * (1 - t) * t * (c - b) + t**2 * (d - c)))

        lengths.append(quad(speed, 0, 1, limit=200)[0])
    assert line.length == pytest.approx(sum(lengths), rel=1e-4, abs=1e-9)
    chords = np.linalg.norm(np.diff(line.points(np.linspace(0, 1, 2001)), axis=1), axis=0)
    assert chords.max() <= line.length / 2000 * 1.001 + 1e-4 * line.length
    np.testing.assert_allclose(line.points(np.array([0.0]))[:, 0], points[0], atol=1e-6 * (1 + line.length))


@pytest.mark.parametrize(
    ("data", "length"),
    [
        ("M0 0H30V40Z", 120),
        ("m0 0l3 4m100 0l6 8", 5),
        ("M0 0M5 5l6 8", 10),
        ("M0 0Q50 0 100 0T200 0", 200),
        ("M0 0C0 0 100 0 100 0S200 0 200 0", 200),
        ("M0 0A50 50 0 0 1 100 0", 50 * np.pi),
        ("M0 0a0 5 0 0 1 30 40", 50),
        ("M0 0 L 10 0 bad", 10),
        ("M1 1L1 1", None),
        ("", None),
    ],
)
def test_path_data_is_a_way_along_its_first_stroke(data, length):
    line = of_curves(path_curves(data))
    assert (line is None) if length is None else line.length == pytest.approx(length, rel=1e-6)


def test_shapes_are_ways_along_their_outlines():
    for tag, attributes, length in (
        ("rect", {"x": "1", "y": "2", "width": "30", "height": "10"}, 80),
        ("line", {"x1": "0", "y1": "0", "x2": "3", "y2": "4"}, 5),
        ("polygon", {"points": "0,0 3,0 3,4"}, 12),
        ("polyline", {"points": "0,0 3,0 3,4"}, 7),
        ("path", {"d": "M0 0h7"}, 7),
    ):
        assert of_curves(shape_curves(tag, attributes)).length == pytest.approx(length)
    assert not len(shape_curves("text", {}))


def test_corners_are_straight_and_handles_bend():
    corner = of_curves(straight(np.array([[0.0, 0, 0], [4, 0, 0], [4, 3, 0]]), closed=True))
    assert corner.length == pytest.approx(12)
    np.testing.assert_allclose(corner.points(np.array([4 / 12]))[:, 0], [4, 0, 0], atol=1e-9)
    bent = WayParams.model_validate({"points": [{"handle": [0, 9, 0]}, {"x": 10.0}]})
    plain = WayParams.model_validate({"points": [{}, {"x": 10.0}]})
    from fern_tide.core.scene.way_params import curves

    np.testing.assert_allclose(curves(bent)[0, 1], [0, 9, 0])
    np.testing.assert_allclose(curves(plain)[0, 1], [10 / 6, 0, 0])


def helix(turns=3, n=60):
    angle = np.linspace(0, 2 * np.pi * turns, n)
    return way(np.stack([np.cos(angle), angle / 4, np.sin(angle)], axis=1))


def test_up_is_carried_without_a_flip_and_without_a_turn_about_the_tangent():
    line = of_curves(helix())
    tangents = line.tangents(SHARES)
    ups = line.ups(SHARES, tangents)
    np.testing.assert_allclose(np.sum(ups * tangents, axis=0), 0, atol=1e-9)
    np.testing.assert_allclose(np.linalg.norm(ups, axis=0), 1, atol=1e-9)
    assert np.sum(ups[:, 1:] * ups[:, :-1], axis=0).min() > 0.99
    change = np.diff(ups, axis=1) * (len(SHARES) - 1)
    side = np.cross(tangents, ups, axis=0)
    spin = np.sum(change * side[:, :-1], axis=0)  # about the tangent
    assert np.abs(spin).max() < 0.4 < np.abs(np.diff(tangents, axis=1)).max() * len(SHARES)


def test_on_a_closed_way_up_comes_back_to_what_it_was():
    angle = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    knot = np.stack(
        [np.sin(angle) + 2 * np.sin(2 * angle), np.cos(angle) - 2 * np.cos(2 * angle), -np.sin(3 * angle)], axis=1
    )
    line = of_curves(way(knot, closed=True))
    ends = np.array([0.0, 1.0])
    first, last = line.ups(ends, line.tangents(ends)).T
    np.testing.assert_allclose(first, last, atol=0.02)


def test_a_rounded_rectangle_has_round_corners():
    curves = shape_curves("rect", {"x": "10", "y": "20", "width": "100", "height": "60", "rx": "20"})
    assert curves[0, 0].tolist() == [30, 20, 0] and curves[-1, 3].tolist() == [30, 20, 0]
    ends = curves[:, 3, :2]
    corner = ends[(ends[:, 0] > 90) & (ends[:, 1] < 40)]
    np.testing.assert_allclose(np.hypot(corner[:, 0] - 90, corner[:, 1] - 40), 20, atol=1e-6)
    clipped = shape_curves("rect", {"width": "40", "height": "10", "rx": "90"})
    assert clipped[:, :, 0].max() == 40 and clipped[:, :, 1].max() == 10
    assert len(shape_curves("rect", {"width": "40", "height": "10", "rx": "5", "ry": "0"})) == 4

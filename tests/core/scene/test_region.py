"""Where on a part a shaper acts."""

import numpy as np

from fern_tide.core.scene.region import Region, Where


def test_a_region_fades_from_all_to_nothing_about_its_middle():
    points = np.array([[0, 0, 0], [1, 0, 0], [2, 0, 0], [3, 0, 0], [4.0, 0, 0]])
    ball = Region(where=Where.BALL, across=0.5, reach=0.5, soft=0.5)
    assert ball.shares(points).tolist() == [0.0, 1.0, 1.0, 1.0, 0.0]
    soft = Region(where=Where.BALL, across=0.0, reach=1.0, soft=1.0)
    assert soft.shares(points).tolist() == [1.0, 0.84375, 0.5, 0.15625, 0.0]
    corner = np.array([[0.0, 0, 0], [1, 1, 0], [2, 2, 0]])
    assert Region(where=Where.BALL, reach=0.6, soft=0.01).shares(corner).tolist() == [0.0, 1.0, 0.0]
    assert Region(where=Where.BOX, reach=0.6, soft=0.01).shares(corner).tolist() == [1.0, 1.0, 1.0]
    assert Region().shares(points).tolist() == [1.0] * 5

"""Ways as the page draws them, against Python's."""

import numpy as np
import pytest

from fern_tide.core.scene.way_params import WayParams, curves

RNG = np.random.default_rng(4)


@pytest.mark.parametrize("closed", [False, True])
@pytest.mark.parametrize("smooth", [False, True])
@pytest.mark.parametrize("count", [2, 3, 9])
def test_a_way_is_drawn_where_parts_move(modules, closed, smooth, count):
    handles = [None, [1.0, -2.0, 0.5], None] * 3
    rows = zip(*RNG.normal(size=(3, count)).tolist(), handles, strict=False)
    points = [{"x": x, "y": y, "z": z, "handle": handle} for x, y, z, handle in rows]
    params = WayParams.model_validate({"points": points, "closed": closed, "smooth": smooth})
    wanted = curves(params)
    drawn = modules("ways", "wayCurves", points, {"smooth": smooth, "closed": closed})
    np.testing.assert_allclose(drawn, wanted, atol=1e-12)
    along = np.array(modules("ways", "alongCurves", drawn, 8))
    assert len(along) == 8 * len(wanted) + 1
    t = 3 / 8
    weights = np.array([(1 - t) ** 3, 3 * t * (1 - t) ** 2, 3 * t * t * (1 - t), t**3])
    last = len(wanted) - 1
    np.testing.assert_allclose(along[8 * last + 3], weights @ wanted[last], atol=1e-12)
    handles = modules("ways", "handlesOf", points, {"closed": closed})
    if smooth:
        np.testing.assert_allclose(np.array(handles)[0], wanted[0, 1] - wanted[0, 0], atol=1e-12)


def test_a_matrix_moves_a_point(modules):
    matrix = [1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 0, 0, 0, 1]
    assert modules("ways", "movedBy", matrix, [1, 10, 100]) == [1 + 20 + 300 + 4, 5 + 60 + 700 + 8, 9 + 100 + 1100 + 12]

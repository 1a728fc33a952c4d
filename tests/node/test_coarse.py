"""Drafts of very many: forms with fewer triangles, and forms put many times into one mesh."""

import numpy as np
from scipy.spatial.transform import Rotation

from fern_tide.core.scene.scene import PART_KINDS

RNG = np.random.default_rng(18)


def ball():
    kind = PART_KINDS["sphere"]
    mesh = kind.solid(kind.params(radius=2.0))
    return mesh.positions, mesh.triangles


def test_a_form_has_fewer_triangles_the_coarser_it_is_and_stays_about_as_large(modules):
    points, triangles = ball()
    before = len(triangles)
    for cells in (16, 8, 4, 2):
        form = modules("coarse", "clustered", points.ravel().tolist(), triangles.ravel().tolist(), cells)
        corners = np.reshape(form["positions"], (-1, 3))
        index = np.reshape(form["index"], (-1, 3))
        assert 0 < len(index) < before and index.max() < len(corners)
        assert all(len(set(triangle)) == 3 for triangle in index.tolist())
        apart = np.linalg.norm(corners[:, np.newaxis] - points[np.newaxis], axis=2).min(axis=1)
        assert apart.max() <= 3**0.5 * 4.0 / cells, "in the cell of what it stands for"
        assert np.abs(np.ptp(corners, axis=0) - 4.0).max() <= 2 * 4.0 / cells
        before = len(index)


def test_what_is_too_flat_or_small_to_have_cells_is_still_there_or_nothing(modules):
    flat = [0, 0, 0, 1, 0, 0, 0, 1, 0]
    assert modules("coarse", "clustered", flat, [0, 1, 2], 4) == {"positions": flat, "index": [0, 1, 2]}
    assert modules("coarse", "clustered", [0] * 9, [0, 1, 2], 4)["index"] == []


def test_points_and_normals_are_put_where_a_matrix_puts_them(modules):
    for mirrored in (1, -1):
        turn = Rotation.random(random_state=3).as_matrix()
        linear = turn @ np.diag([2.0, 0.5, 3.0 * mirrored])
        move = np.array([4.0, -1.0, 2.0])
        matrix = np.eye(4)
        matrix[:3, :3], matrix[:3, 3] = linear, move
        elements = matrix.T.ravel().tolist()
        normals = np.reshape(modules("many", "normalsOf", elements), (4, 4)).T
        wanted = np.linalg.inv(linear).T * abs(np.linalg.det(linear))
        np.testing.assert_allclose(normals[:3, :3], wanted, atol=1e-9)
        assert normals[3].tolist() == [0, 0, 0, 1] and not normals[:3, 3].any()
    put = modules("many", "putPoints", [1, 2, 3], elements, [7, 7, 7, 0, 0, 0], 3)
    np.testing.assert_allclose(put, [7, 7, 7, *(linear @ [1, 2, 3] + move)], atol=1e-9)

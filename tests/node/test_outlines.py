"""Outlines that shapers move, as the page writes them, against Python's."""

import numpy as np

from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.outlines import outlines_of, seen_at
from fern_tide.core.scene.scene import Part, Scene


def test_the_page_writes_the_path_data_that_files_carry(modules):
    part = Part.model_validate(
        {
            "id": "leaf",
            "name": "Leaf",
            "shape": {"id": "path", "params": {"data": "M10 300C40 200 40 120 10 0L-20 40ZM5 50L9 90"}},
            "shapers": [{"slot": 1, "shaper": {"id": "bend"}}, {"slot": 2, "shaper": {"id": "push"}}],
            "values": {"shaper1_amount": 37.5, "shaper2_amount": -4.25},
        }
    )
    (outline,) = outlines_of(Scene(name="S", parts=(part,)), SceneMedia(), part)
    seen = seen_at(part, part.own)
    wanted = outline.data(outline.at(seen))
    plain = {"points": outline.points.ravel().tolist(), "shapes": outline.shapes.reshape(len(seen), -1).tolist()}
    points = modules("outlines", "pointsAt", plain, seen.tolist())
    np.testing.assert_allclose(np.reshape(list(_listed(points)), (-1, 2)), outline.at(seen), atol=6e-4)
    strokes = [[stroke.n_curves, stroke.closed] for stroke in outline.strokes]
    assert modules("outlines", "pathOf", strokes, _listed(points)) == wanted
    assert wanted.count("M") == 2 and wanted.count("Z") == 1


def test_a_view_box_is_read(modules):
    assert modules("looking2d", "boxIn", "0 -5, 20.5 30") == {"x": 0, "y": -5, "width": 20.5, "height": 30}


def _listed(points):
    """A list, or what is left of one of numbers when it was written as JSON."""
    return [points[key] for key in sorted(points, key=int)] if isinstance(points, dict) else points

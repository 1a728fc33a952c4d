"""Basic shapes whose measures move, in Lottie: their points as SVG draws them at every frame, and read back."""

import numpy as np
import pytest

from fern_tide.core.formats.format import KeyParams
from fern_tide.core.formats.lottie_measures import limits_of, measured_ways, read_measures
from fern_tide.core.scene.svg.outline import shape_curves

CASES = [
    ("rect", {"x": "10", "y": "20", "width": "30", "height": "8", "rx": "3"}, {"width": [30, 4, 50]}),
    ("rect", {"width": "30", "height": "8"}, {"rx": [0.5, 2, 30], "x": [0, 5, -5]}),
    ("rect", {"width": "30", "height": "8", "ry": "2"}, {"ry": [1, 9, 3]}),
    ("rect", {"y": "-3", "width": "30", "height": "8"}, {"height": [1, 9, 30]}),
    ("circle", {"cx": "4"}, {"r": [1, 20, 0.5], "cy": [0, 1, 2]}),
    ("ellipse", {"ry": "7"}, {"rx": [1, 20, 0.5]}),
    ("line", {"x2": "9", "y2": "4"}, {"x1": [0, 3, 30]}),
]


@pytest.mark.parametrize(("tag", "attributes", "moved"), CASES)
def test_each_frame_is_as_svg_draws_it_and_says_its_measures(tag, attributes, moved):
    rows = {name: np.array(values, dtype=float) for name, values in moved.items()}
    (way,), boxes = measured_ways(tag, attributes, moved=rows, params=KeyParams())
    for frame, key in enumerate(way["ks"]["k"]):
        now = {name: str(values[frame]) for name, values in moved.items()}
        curves = shape_curves(tag, {**attributes, **now})[..., :2]
        ends = np.concatenate([curves[:, 0], curves[-1:, 3]])
        shape = key["s"][0]
        drawn = np.array([*shape["v"], *(shape["v"][:1] if shape["c"] else [])])
        reach = np.array(boxes[frame]).reshape(2, 2)
        np.testing.assert_allclose(reach, [ends.min(axis=0), ends.max(axis=0)], atol=1e-6)
        for point in ends:
            assert np.hypot(*(drawn - point).T).min() < 1e-5, (tag, frame)
    read = read_measures([{"nm": "a", "it": [way]}], tag, 3)
    for name, values in rows.items():
        most = limits_of(name, read)
        np.testing.assert_allclose(read[name], values if most is None else np.minimum(values, most), atol=1e-5)


def test_what_is_not_there_has_no_measures():
    assert read_measures([], "rect", 3) == {} and limits_of("rx", {"rx": np.ones(3)}) is None

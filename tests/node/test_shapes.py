"""How much of a solid's shapes is seen, as the page has it, against Python's."""

import numpy as np
import pytest

from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.shaping import SHAPERS, seen_of
from fern_tide.web.heads import _shaping

AMOUNTS = np.array([-200.0, -90, -47.3, -1e-3, 0, 0.1, 0.25, 0.3, 1.0, 1.3, 3.99, 5, 10, 33.3, 90, 400])


@pytest.mark.parametrize("name", SHAPERS)
def test_as_much_of_each_shape_is_seen_on_the_page_as_in_a_file(modules, name):
    part = Part.model_validate(
        {"id": "p", "name": "P", "shape": {"id": "box"}, "shapers": [{"slot": 2, "shaper": {"id": name}}]}
    )
    (shaping,) = _shaping(part)
    values = {item.id: AMOUNTS * (1 if place == 0 else 7) for place, item in enumerate(part.shaped)}
    wanted = seen_of(part.shapers, values)
    for at in range(len(AMOUNTS)):
        held = {key: float(row[at]) for key, row in values.items()}
        drawn = modules("shapes", "seenShapes", [shaping], {"table": held})
        np.testing.assert_allclose(drawn, wanted[:, at], atol=1e-9)


def test_between_two_steps_both_are_seen_and_none_of_the_rest(modules):
    steps = {"steps": [-2, -1, 0, 1, 2], "rest": 0}
    for amount, wanted in ((0, [0, 0, 0, 0]), (0.25, [0, 0, 0.25, 0]), (-1.5, [0.5, 0.5, 0, 0]), (9, [0, 0, 0, 1])):
        assert modules("shapes", "seenSteps", amount, steps) == wanted

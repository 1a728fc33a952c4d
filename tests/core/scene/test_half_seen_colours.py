"""Colours of drawings that are half seen through: plain ones with an opacity beside them, passed on as they were."""

import numpy as np
import pytest

from fern_tide.core.base.naming import Ids
from fern_tide.core.scene.scene import SceneFile
from fern_tide.core.scene.svg.parts import Sheet, parts_of
from fern_tide.core.scene.svg.reading import read_svg

DRAWING = b"""<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100">
<style>.glass { fill: hsl(0 100% 50% / 40%); }</style>
<g id="g" fill="rgba(10, 20, 30, .5)" fill-opacity="0.5"><path id="a" d="M0 0h9v9z"/>
<path id="b" d="M0 0h9v9z" fill-opacity="0.4"/><path id="c" d="M0 0h9v9z" fill="#102030"/>
<path id="d" d="M0 0h9v9z" fill="#10203080" stroke="#f008" stroke-width="3"/>
<g id="e" fill-opacity="50%"><path id="f" d="M0 0h9v9z"/></g></g>
<rect id="glass" class="glass" width="9" height="9"/>
<rect id="plain" width="9" height="9" fill="teal" fill-opacity="0.3"/>
<linearGradient id="fade"><stop id="stop" stop-color="rgb(0 0 255 / 25%)" stop-opacity="0.8"/></linearGradient></svg>"""


@pytest.fixture(scope="module")
def sheet():
    return Sheet(read_svg(DRAWING))


def test_each_element_says_what_it_and_those_in_it_are_seen_by(sheet):
    own = {one["id"]: one for one in sheet.attributes if "id" in one}
    passed = {
        one["id"]: all_of_it for one, all_of_it in zip(sheet.attributes, sheet.inherited, strict=True) if "id" in one
    }
    paints = {name: (passed[name].get("fill"), float(passed[name].get("fill-opacity", 1))) for name in passed}
    assert {name: paints[name] for name in "abcdf"} == {
        "a": ("#0a141e", 0.25),
        "b": ("#0a141e", 0.2),
        "c": ("#102030", 0.5),
        "d": ("#102030", pytest.approx(0.5 * 128 / 255)),
        "f": ("#0a141e", 0.25),
    }
    assert "fill-opacity" not in own["a"] and own["plain"]["fill-opacity"] == "0.3" and own["plain"]["fill"] == "teal"
    assert (own["glass"]["fill"], own["glass"]["fill-opacity"]) == ("#ff0000", "0.4")
    assert own["d"]["stroke"] == "#ff0000" and float(own["d"]["stroke-opacity"]) == pytest.approx(0x88 / 255)
    assert own["stop"]["stop-color"] == "#0000ff" and float(own["stop"]["stop-opacity"]) == pytest.approx(0.2)


def test_they_can_be_driven_and_how_strong_they_are_stays(sheet):
    parts = {
        one.id: one
        for one in parts_of(
            sheet, SceneFile(id="f", name="f.svg", media="1" * 64, kind="svg"), ids=Ids(), limit_to=(100, 100)
        )
    }
    assert parts["glass"].own("fill") == "#ff0000" and parts["glass"].own("fill_opacity") == 0.4
    np.testing.assert_allclose(parts["b"].own("fill_opacity"), 0.2)
    assert parts["stop"].own("stop_colour") == "#0000ff" and parts["stop"].own("stop_opacity") == pytest.approx(0.2)

"""Scenes: parts, targets, and the drawing that stage and file share."""

import xml.etree.ElementTree as ET

import pytest

from fern_tide.core.base.errors import InvalidParameter, UnknownName
from fern_tide.core.base.target import Target
from fern_tide.core.scene.describe import describe
from fern_tide.core.scene.drawing import draw, markup
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.scene import Part, PartChoice, Scene
from fern_tide.core.scene.svg.geometry import number
from fern_tide.demo.scene import glasshouse

DISC = PartChoice.model_validate({"id": "ellipse", "params": {"cx": 100, "cy": 50, "rx": 10, "ry": 20}})


def part(part_id="disc", **more):
    return Part(id=part_id, name=part_id, shape=DISC, **more)


def by_id(scene, **options):
    return {e.get("id"): e for e in ET.fromstring(markup(draw(scene, **options))).iter()}


def test_a_part_turns_and_scales_about_its_anchor():
    scene = Scene(
        name="s", parts=(part(anchor=Anchor(x=100, y=70, word="base"), values={"x": 5, "turn": 30, "scale_y": 2}),)
    )
    found = by_id(scene)
    assert found["disc--move"].get("transform") == "translate(105 70)"
    assert found["disc--turn"].get("transform") == "rotate(30)"
    assert found["disc--scale"].get("transform") == "scale(1 2)"
    assert next(iter(found["disc--scale"])).get("transform") == "translate(-100 -70)"


def test_children_move_with_their_parent():
    scene = Scene(name="s", parts=(part("a"), part("b", parent="a")))
    assert by_id(scene)["a--move"].find(".//*[@id='b--move']") is not None


def test_values_and_a_prefix_are_drawn():
    found = by_id(
        Scene(name="s", parts=(part(),)), values={Target(part="disc", property="fill"): "#ff0000"}, prefix="p-"
    )
    assert found["p-disc--own"].get("fill") == "#ff0000"


def test_a_blur_filter_acts_only_where_there_is_blur():
    still, hazy = part("still"), part("hazy", values={"blur": 3})
    found = by_id(Scene(name="s", parts=(still, hazy)))
    assert found["still--move"].get("filter") is None
    assert found["hazy--move"].get("filter") == "url(#hazy--filter)"


@pytest.mark.parametrize(
    ("value", "text"),
    [
        (0.0, "0"),
        (-0.0, "0"),
        (1.5, "1.5"),
        (1e-9, "0"),
        (123456.789, "123456.8"),
        (1e-5, "0.00001"),
        (10.0, "10"),
        (1e7, "10000000"),
    ],
)
def test_numbers_have_no_exponent_and_no_idle_zeros(value, text):
    assert number(value) == text


def test_two_parts_cannot_have_one_id():
    with pytest.raises(InvalidParameter, match="part id is disc"):
        Scene(name="s", parts=(part(), part()))


def test_a_child_comes_after_its_parent():
    with pytest.raises(InvalidParameter, match="a part that comes before"):
        Scene(name="s", parts=(part("b", parent="a"), part("a")))


def test_a_number_is_no_colour():
    with pytest.raises(InvalidParameter, match="disc:fill"):
        Scene(name="s", parts=(part(values={"fill": 3.0}),))


def test_unknown_parts_and_properties_list_the_known_ones():
    scene = glasshouse()
    with pytest.raises(UnknownName, match="no part named lump. Use one of: panes, glass"):
        scene.resolve(Target(part="lump", property="turn"))
    with pytest.raises(UnknownName, match="Lamp has no property named fill. Use one of: x, y"):
        scene.resolve(Target(part="lamp", property="fill"))


def test_the_demo_scene_has_what_the_glasshouse_has_each_with_its_anchor():
    scene = glasshouse()
    words = {part.id: part.anchor.word for part in scene.parts}
    assert words["frond-left"] == "root" and words["lamp"] == "hook" and words["cloche-3"] == "base"
    assert {"moth-one", "rain", "panes", "title"} <= set(words)
    assert scene == glasshouse()
    described = describe(scene)["parts"]
    assert all(set(p["properties"][0]) == {"id", "name", "kind", "unit", "range", "rest"} for p in described)


@pytest.mark.parametrize("data", ['M0 0"/><script>alert(1)</script>', "M0 0 url(http://x)", "javascript:1"])
def test_path_data_is_only_path_data(data):
    with pytest.raises(InvalidParameter, match="Outline"):
        PartChoice.model_validate({"id": "path", "params": {"data": data}})


def test_words_are_written_as_text_never_as_markup():
    shape = PartChoice.model_validate({"id": "text", "params": {"words": "<script>x</script>"}})
    drawn = markup(draw(Scene(name="s", parts=(Part(id="t", name="t", shape=shape),))))
    assert "<script" not in drawn and "&lt;script" in drawn

"""Parts that are put together move as one: in the tree, on the stage and in what is handed off."""

import numpy as np
import pytest
from defusedxml import ElementTree as SafeET
from tests.core.formats.hand_offs import FRAMES, LEAF, LIFT, leaf

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.formats.format import write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.formats.smil import MARK, values_in
from fern_tide.core.scene.drawing import draw
from fern_tide.core.scene.extent import extents
from fern_tide.core.scene.gathering import gathered, let_go, parents_first, regathered, ungathered
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.scene import Part, PartChoice, Scene
from fern_tide.core.scene.svg.geometry import matrix_of

CENTRE = Anchor(x=20, y=15)


STILL = ("leaf-2:stroke_width", 2, 3)


def tree(parts):
    return {part.id: part.parent for part in parts}


def both(scene):
    return gathered(scene, "both", ["rectangle-1", "leaf-2"], name="Both", anchor=CENTRE)


def test_elements_lie_in_a_part_of_their_own_and_come_out_again():
    bare = leaf(STILL).scene
    scene = both(bare)
    assert tree(scene.parts) == tree(bare.parts) | {"both": "sprig", "rectangle-1": "both", "leaf-2": "both"}
    assert [part.id for part in scene.gatherings(scene.part("leaf-2"))] == ["both"]
    assert [part.id for part in scene.moved_with("both")] == ["rectangle-1", "leaf-2"] and not scene.moved_with("sprig")
    assert let_go(scene.parts, "both") == bare.parts == ungathered(scene.parts)
    assert regathered(bare.parts, scene.parts) == scene.parts


def test_what_was_put_together_can_be_put_together_with_more():
    drawn = LEAF.replace(b"</v:g>", b'<v:circle id="Dew" r="2"/></v:g>')
    scene = both(leaf(STILL, content=drawn).scene)
    scene = gathered(scene, "all", ["both", "dew"], name="All", anchor=Anchor())
    assert tree(scene.parts)["both"] == "all"
    assert [part.id for part in scene.gatherings(scene.part("leaf-2"))] == ["all", "both"]
    assert regathered(ungathered(scene.parts), scene.parts) == scene.parts


def boxes(*kinds):
    parts = tuple(
        Part(id=f"p{place}", name=f"P{place}", shape=PartChoice(id=kind), parent=parent)
        for place, (kind, parent) in enumerate(kinds)
    )
    return Scene(name="s", parts=parts)


def test_parts_made_here_go_into_a_group_behind_the_last_with_all_inside_them():
    scene = boxes(("group", None), ("rectangle", "p0"), ("ellipse", None), ("star", None), ("line", None))
    scene = gathered(scene, "two", ["p0", "p3"], name="Two", anchor=CENTRE)
    assert scene.part("two").kind.id == "group" and scene.part("two").anchor == CENTRE
    assert [part.id for part in scene.parts] == ["p2", "two", "p0", "p1", "p3", "p4"]
    assert tree(scene.parts) == {"p2": None, "two": None, "p0": "two", "p1": "p0", "p3": "two", "p4": None}


def test_what_lies_in_another_waits_for_it_and_keeps_its_order():
    def named(*names):
        return [Part(id=name, name=name, parent=parent, shape=PartChoice(id="star")) for name, parent in names]

    parts = named(("a", "g"), ("b", None), ("c", "a"), ("d", "g"), ("g", None), ("e", "g"))
    assert [part.id for part in parents_first(parts)] == ["b", "g", "a", "c", "d", "e"]
    valid = named(("b", None), ("g", None), ("d", "g"))
    assert list(parents_first(valid)) == valid


@pytest.mark.parametrize(
    ("scene", "parts", "words"),
    [
        (boxes(("star", None)), ["p0"], "moves as one already"),
        (boxes(("group", None), ("star", "p0"), ("line", None)), ["p1", "p2"], "lie in different parts"),
        (leaf(STILL, more=boxes(("star", None)).parts).scene, ["sprig", "rectangle-1"], "lie in different parts"),
    ],
)
def test_what_cannot_be_put_together_is_said(scene, parts, words):
    with pytest.raises(FernTideError, match=words):
        gathered(scene, "x", parts, name="X", anchor=Anchor())


def product(*lists):
    """The matrix of lists of transforms, one after the other, shape (3, 3)."""
    whole = np.eye(3)
    for text in lists:
        a, b, c, d, e, f = matrix_of(text)
        whole = whole @ np.array([[a, c, e], [b, d, f], [0, 0, 1]])
    return whole


def turned(degrees, x, y):
    return f"translate({x} {y}) rotate({degrees}) translate({-x} {-y})"


ENDS = (("both:turn", 0, 90), ("both:x", 0, 12), ("leaf-2:scale_y", 1, 3))


def test_each_element_gets_the_motion_of_all_before_its_own_and_the_file_is_otherwise_the_same():
    hand_off = leaf(*ENDS, change=both)
    written = write(hand_off, format=FORMATS["svg"])
    assert written.error < 1e-5 and written.n_curves == 3
    root = SafeET.fromstring(written.content)
    for tag, own in (("rect", False), ("path", True)):
        element = next(item for item in root.iter() if item.tag.endswith(f"}}{tag}"))
        chain = [item for item in element if item.get("id", "").startswith(MARK)]
        rows = values_in(element, "animateTransform", attribute="transform", n_frames=FRAMES)
        assert len(chain) == len(rows) == (8 if own else 4)
        for frame in (0, 3, 17, FRAMES - 1):
            got = product(*(f"{item.get('type')}({row[frame]})" for item, row in zip(chain, rows, strict=True)))
            wanted = [f"translate({12 * LIFT[frame]} 0)", turned(90 * LIFT[frame], 20, 15)]
            anchor = hand_off.scene.part("leaf-2").anchor
            if own:
                tall = 1 + 2 * LIFT[frame]
                wanted.append(f"translate({anchor.x} {anchor.y}) scale(1 {tall}) translate({-anchor.x} {-anchor.y})")
            np.testing.assert_allclose(got, product(*wanted), atol=1e-4)
    taken_out = [item for item in root.iter() if item.get("id", "").startswith(MARK)]
    assert (
        len(taken_out) == 12
        and b'<v:g id="Sprig" transform="translate(20 10) rotate(12)" data-own=\'kept\'>' in written.content
    )


def test_a_drawing_shows_it_at_rest_and_its_extent_is_that_of_all():
    hand_off = leaf(STILL, change=both)
    scene = hand_off.scene.but(
        parts=tuple(
            p.model_copy(update={"values": {"turn": 90.0}}) if p.id == "both" else p for p in hand_off.scene.parts
        )
    )
    drawn = {item.get("id"): item for item in draw(scene, media=hand_off.media).iter()}
    text = drawn["rectangle-1--own"].get("transform")
    np.testing.assert_allclose(product(text), product(turned(90, 20, 15)), atol=1e-9)
    where = extents(hand_off.scene, media=hand_off.media)
    assert where["both"].own == pytest.approx((0, 0, 40, 30))
    left, top, right, bottom = where["both"].stage
    inside = [where[name].stage for name in ("rectangle-1", "leaf-2")]
    assert (left, bottom) == (min(box[0] for box in inside), max(box[3] for box in inside))
    assert (top, right) == (min(box[1] for box in inside), max(box[2] for box in inside))


def test_parts_that_stand_elsewhere_are_put_together_about_where_they_stand():
    scene = both(leaf(STILL).scene)
    moved = {"values": {**scene.part("rectangle-1").values, "x": 100.0}}
    scene = scene.but(parts=tuple(p.model_copy(update=moved) if p.id == "rectangle-1" else p for p in scene.parts))
    where = extents(scene, media=leaf(STILL).media)
    assert where["rectangle-1"].own == pytest.approx((0, 0, 40, 30)), "anchors are counted before it is moved"
    assert where["rectangle-1"].standing(scene.part("rectangle-1")) == pytest.approx((100, 0, 140, 30))
    assert where["both"].own == pytest.approx((0, 0, 140, 30))

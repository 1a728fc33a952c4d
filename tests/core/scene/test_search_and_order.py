"""Finding properties by what is typed, and putting parts in order; worked out by hand."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fern_tide.core.base.errors import UnknownName
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.mapping import Mapping, drive_lift
from fern_tide.core.scene.extent import Extent
from fern_tide.core.scene.graphic import is_level
from fern_tide.core.scene.ranks import ranks_of
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.core.scene.search import SearchIndex
from fern_tide.demo.project import demo_project
from fern_tide.demo.scene import glasshouse

INDEX = SearchIndex(glasshouse())
BOXES = {name: Extent((0, 0, 1, 1), None, middle) for name, middle in {"a": (9, 0), "b": (1, 5), "c": (4, 2)}.items()}


def found(text, **more):
    return [(m.part.id, m.item.id if m.item else "") for m in INDEX.find(text, most=5, **more)]


def test_every_word_lies_in_the_name_or_in_the_label():
    assert found("lam tu") == [(part, "turn") for part in ("lamp", "lamp-cord", "lamp-glow", "lamp-bulb")]
    assert found("TURN bulb") == [("lamp-bulb", "turn")]
    assert found("stroke wid title") == [("title", "stroke_width")]
    assert found("") == found("no such thing") == []


def test_a_name_alone_gives_parts_to_open_those_that_begin_so_first():
    assert found("lamp")[0] == ("lamp", "")
    assert [part for part, _ in found("glow")] == ["lamp-glow"]
    assert found("two", first={Target(part="moth-two", property="fill")})[0] == ("moth-two", "")


def test_what_is_driven_comes_first():
    driven = {Target(part="frond-right", property="scale_y")}
    assert found("frond heig")[0] == ("fronds", "scale_y")
    assert found("frond heig", first=driven)[0] == ("frond-right", "scale_y")


def test_parts_are_ranked_along_an_order():
    assert ranks_of("abc", order="x", extents=BOXES).tolist() == [1.0, 0.0, 0.5]
    assert ranks_of("abc", order="x", extents=BOXES, backwards=True).tolist() == [0.0, 1.0, 0.5]
    assert ranks_of("abc", order="up", extents=BOXES).tolist() == [1.0, 0.0, 0.5]
    assert ranks_of("abc", order="tree", extents=BOXES).tolist() == [0.0, 0.5, 1.0]
    assert ranks_of("abc", order="middle", extents=BOXES).tolist() == [1.0, 1.0, 0.0], "both ends last"
    assert ranks_of("a", order="x", extents=BOXES).tolist() == [0.0]
    assert ranks_of(["nowhere", "a"], order="x", extents=BOXES).tolist() == [0.0, 1.0]
    with pytest.raises(UnknownName, match="no order named sideways"):
        ranks_of("abc", order="sideways", extents=BOXES)


def test_up_is_up_in_2d_and_in_3d():
    high = {"a": Extent((0, 0, 1, 1), None, (0, 3, 0)), "b": Extent((0, 0, 1, 1), None, (0, 1, 0))}
    assert ranks_of("ab", order="up", extents=high).tolist() == [1.0, 0.0]


def test_a_drive_takes_the_row_of_its_rank():
    spread = demo_project().mapping("cloche-tops").but(spread=True)
    rows = np.arange(4.0)[:, None] * np.ones(5)
    ranked = spread.but(drives=tuple(drive.but(rank=rank) for drive, rank in zip(spread.drives, RANKS, strict=True)))
    assert isinstance(ranked, Mapping)
    taken = [float(drive_lift(rows, ranked, drive)[0]) for drive in ranked.drives]
    assert taken == pytest.approx([3 * rank for rank in RANKS])
    assert [float(drive_lift(rows, spread, drive)[0]) for drive in spread.drives] == pytest.approx(
        np.linspace(0, 3, len(spread.drives)).tolist()
    )


RANKS = (1.0, 0.5, 0.0, 0.25, 0.75, 1 / 3, 0.9, 0.1, 1.0, 0.0)


def worth(word, text):
    return 0 if word not in text else 4 if text.startswith(word) else 2 if f" {word}" in text else 1


def looked_through(index, text, most):
    """All that is found, by looking at each property of each part."""
    words, every = text.lower().split(), []
    for place, part in enumerate(index.scene.parts):
        name, items = part.name.lower(), [item for item in part.properties if not is_level(item.id)]
        left = [word for word in words if word not in name]
        score = sum(worth(word, name) for word in words)
        if not left:
            every.append((-score - 1, place, -1))
            continue
        for at, item in enumerate(items):
            if all(word in item.label.lower() for word in left):
                every.append((-score - sum(worth(word, item.label.lower()) for word in left), place, at))
    return [(place, at) for _, place, at in sorted(every)[:most]]


@given(
    st.lists(st.sampled_from(["Bar one", "Bar two", "Bell", "Width", "A bar", "x"]), min_size=1, max_size=60),
    st.lists(st.sampled_from(["b", "bar", "one", "w", "wid", "x", "turn", "o", "scale"]), max_size=3),
    st.integers(1, 9),
)
def test_the_best_are_those_that_looking_at_each_property_gives(names, words, most):
    shapes = [part.shape for part in glasshouse().parts if part.shape.id in {"rectangle", "group", "ellipse"}]
    parts = tuple(Part(id=f"p{n}", name=name, shape=shapes[n % len(shapes)]) for n, name in enumerate(names))
    index = SearchIndex(Scene(name="s", parts=parts))
    places = {part.id: place for place, part in enumerate(parts)}
    found = []
    for match in index.find(" ".join(words), most=most):
        items = [item for item in match.part.properties if not is_level(item.id)]
        found.append((places[match.part.id], -1 if match.item is None else items.index(match.item)))
    assert found == (looked_through(index, " ".join(words), most) if words else [])

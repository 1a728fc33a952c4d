"""Outlines of clips, in the order in which they add and take away, by hand; boxes of what cuts."""

import xml.etree.ElementTree as ET

import pytest

from fern_tide.core.formats import lottie_clips
from fern_tide.core.formats.lottie_clips import Untold, clip_window, mask_window, view_window

RING = "M0 0h30v30h-30zM10 10h10v10h-10z"  # both the same way round
WOUND = "M10 10v10h10v-10zM0 0h30v30h-30zM13 13h4v4h-4z"  # the hole goes the other way, and comes first


def clip(inside, **attributes):
    text = "".join(f' {name.replace("_", "-")}="{value}"' for name, value in attributes.items())
    return ET.fromstring(f"<clipPath{text}>{inside}</clipPath>")


def cut(inside, *, box=None, named=None, **attributes):
    window = clip_window(clip(inside, **attributes), named=named or {}, box=box)
    return None if window is None else [(one["mode"], one["pt"]["k"]["v"][0]) for one in window.masks]


def test_holes_take_away_by_either_rule():
    assert cut(f'<path d="{RING}" clip-rule="evenodd"/>') == [("a", [0, 0]), ("s", [10, 10])]
    assert cut(f'<path d="{RING}"/>', clip_rule="evenodd") == [("a", [0, 0]), ("s", [10, 10])]
    assert cut(f'<path d="{RING}"/>') == [("a", [0, 0])], "wound the same way, there is no hole"
    assert cut(f'<path d="{WOUND}"/>') == [("a", [0, 0]), ("s", [10, 10]), ("a", [13, 13])], "an island in the hole"


def test_shapes_lie_where_their_transforms_and_uses_say():
    named = {"pane": ET.fromstring('<rect id="pane" width="4" height="6" transform="translate(1 2)"/>')}
    inside = '<use href="#pane" x="10" y="20" transform="scale(2)"/>'
    window = clip_window(clip(inside, transform="translate(100 0)"), named=named, box=None)
    assert window.low == (122, 44) and window.size == (8, 12)
    (mask,) = window.masks
    assert mask["pt"]["k"]["v"] == [[0, 0], [8, 0], [8, 12], [0, 12]] and mask["pt"]["k"]["c"]


def test_a_box_is_of_whole_pixels_and_outlines_lie_in_it_where_they_did():
    window = clip_window(clip('<rect x="-2.5" y="3.25" width="4" height="2"/>'), named={}, box=None)
    assert window.low == (-3, 3) and window.size == (5, 3)
    assert window.masks[0]["pt"]["k"]["v"][0] == [0.5, 0.25]


def test_shares_are_of_the_box_and_without_one_there_is_no_telling():
    shares, box = {"clipPathUnits": "objectBoundingBox"}, (10.0, 20.0, 30.0, 60.0)
    half = '<rect x="0.5" width="0.5" height="1"/>'
    assert cut(half, box=box, **shares) == [("a", [0, 0])]
    window = clip_window(clip(half, **shares), named={}, box=box)
    assert window.low == (20, 20) and window.size == (10, 40)
    with pytest.raises(Untold):
        cut("<rect width='1' height='1'/>", **shares)
    mask = ET.fromstring('<mask maskContentUnits="objectBoundingBox"><rect width="1" height="1"/></mask>')
    with pytest.raises(Untold):
        mask_window(mask, named={}, box=None)


def test_what_is_empty_or_hidden_leaves_nothing():
    assert cut("") is None and cut('<rect width="9" height="9" display="none"/>') is None
    assert cut('<use href="#nowhere"/>') is None and mask_window(ET.fromstring("<mask/>"), named={}, box=None) is None
    again = ET.fromstring('<g id="again"><use href="#again"/></g>')
    assert cut('<use href="#again"/>', named={"again": again}) is None, "what uses itself ends"


def test_many_outlines_are_each_held_against_few(monkeypatch):
    asked, inside = [], lottie_clips._inside
    monkeypatch.setattr(lottie_clips, "_inside", lambda *one: asked.append(1) or inside(*one))
    dots = "".join(f"M{x} {y}h4v4h-4zM{x + 1} {y + 1}h2v2h-2z" for x in range(0, 600, 10) for y in range(0, 500, 10))
    turned = cut(f'<path d="{dots}" clip-rule="evenodd"/>')
    assert len(turned) == 6_000 and [mode for mode, _ in turned].count("s") == 3_000
    assert len(asked) == 3_000, "not 36,000,000: only those whose boxes lie in others"


def test_text_cuts_by_its_letters_with_what_is_hollow_in_them():
    text = '<text x="10" y="40" font-size="20" font-family="monospace">Oi</text>'
    window = clip_window(clip(text), named={}, box=None)
    modes = [mode for mode, _ in cut(text)]
    assert sorted(modes) == ["a", "a", "a", "s"] and modes.index("s") > 0, "round, hollow, and a stem with a dot"
    assert 10 <= window.low[0] <= 13 and 20 < window.low[1] < 40 and window.low[1] + window.size[1] <= 41
    mask = ET.fromstring('<mask><g><text font-size="20">Ferns</text></g></mask>')
    assert mask_window(mask, named={}, box=None).size[0] > 40
    assert cut("<text> </text>") is None


def test_a_picture_is_a_mask_too_and_its_region_cuts():
    region = 'maskUnits="userSpaceOnUse" x="{}" y="20" width="{}" height="40"'
    mask = f'<mask {region}><image x="-9" width="99" height="99"/></mask>'
    window = mask_window(ET.fromstring(mask.format(10, 30.5)), named={}, box=None)
    assert window.low == (10, 20) and window.size == (31, 40)
    assert window.masks[0]["pt"]["k"]["v"] == [[0, 0], [30.5, 0], [30.5, 40], [0, 40]]
    plain = ET.fromstring('<mask><image x="-9" width="99" height="98"/></mask>')
    window = mask_window(plain, named={}, box=None)
    assert window.low == (-9, 0) and window.size == (99, 98) and window.masks == ()


def test_the_box_of_a_mask_has_its_strokes_in_it():
    mask = ET.fromstring('<mask><g><circle cx="50" cy="40" r="10" stroke="#fff" stroke-width="4"/></g></mask>')
    window = mask_window(mask, named={}, box=None)
    assert window.low[0] <= 38 and window.low[1] <= 28 and window.size[0] >= 24 and window.masks == ()


def test_an_svg_element_cuts_at_its_own_edges_as_what_lies_in_it_counts():
    window = view_window({"x": "100", "y": "50", "width": "200", "height": "100", "viewBox": "-10 0 400 200"})
    assert window.low == (-10, 0) and window.size == (400, 200)
    tall = view_window({"width": "100", "height": "200", "viewBox": "0 0 100 100"})
    assert tall.low == (0, -50) and tall.size == (100, 200), "what is seen above and below the view box"
    size = {"width": "9", "height": "9"}
    for unknown in ({**size, "width": "100%"}, {"width": "9"}, {**size, "overflow": "visible"}):
        assert view_window(unknown) is None

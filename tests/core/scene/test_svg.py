"""SVG files that come in: what is safe stays letter for letter, the rest goes, and every element can be animated."""

import base64
import gzip
import time
import zlib

import pytest

from fern_tide.core.base.errors import UnreadableScene
from fern_tide.core.base.naming import Ids
from fern_tide.core.scene.drawing import draw, markup
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.scene import Scene, SceneFile
from fern_tide.core.scene.svg.allowed import SvgLimits
from fern_tide.core.scene.svg.parts import Sheet, parts_of
from fern_tide.core.scene.svg.reading import read_svg

HEAD = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 200 100"'
FILE = SceneFile(id="f", name="leaf.svg", media="0" * 64, kind="svg")


def svg(inside: str, more: str = "") -> bytes:
    return f"{HEAD}{more}>{inside}</svg>".encode()


def parts(content: bytes):
    sheet = Sheet(read_svg(content))
    return {part.name: part for part in parts_of(sheet, FILE, ids=Ids())}


def scene(content: bytes) -> tuple[Scene, SceneMedia]:
    sheet = Sheet(read_svg(content))
    made = parts_of(sheet, FILE, ids=Ids())
    return Scene(name="s", width=200, height=100, files=(FILE,), parts=made), SceneMedia(sheets={FILE.media: sheet})


# --- what is hostile

HEADER = b"IHDR" + (60_000).to_bytes(4, "big") * 2 + b"\x08\x02\x00\x00\x00"
CHUNK = (13).to_bytes(4, "big") + HEADER + zlib.crc32(HEADER).to_bytes(4, "big")
HUGE = base64.b64encode(b"\x89PNG\r\n\x1a\n" + CHUNK).decode()  # it says that it has 3.6 thousand million pixels

BOMB = svg("".join(f'<g id="l{n}">' + f'<use href="#l{n - 1}"/>' * 10 + "</g>" for n in range(1, 9)) + '<g id="l0"/>')


@pytest.mark.parametrize(
    ("hostile", "gone", "note"),
    [
        ("<script>alert(1)</script>", "alert", "script"),
        ('<script xlink:href="http://far/x.js"/>', "far", "script"),
        ('<rect onclick="alert(1)" width="4"/>', "alert", "onclick"),
        ('<g ONLOAD="alert(1)"/>', "alert", "ONLOAD"),
        ('<a href="javascript:alert(1)"><rect/></a>', "javascript", "link to outside"),
        ('<a xlink:href=" JaVaScript:alert(1)"><rect/></a>', "alert", "link to outside"),
        ('<animate attributeName="href" values="javascript:alert(1)"/>', "javascript", "animation of a link"),
        ('<set attributeName="xlink:href" to="data:text/html,x"/>', "text/html", "animation of a link"),
        ('<set attributeName="onclick" to="alert(1)"/>', "alert", "animation of a link"),
        ('<animate attributeName="fill" values="url(http://far/x);red"/>', "far", "attribute values"),
        ('<image href="http://far/x.png"/>', "far", "link to outside"),
        ('<image href="//far/x.png"/>', "far", "link to outside"),
        ('<image href="data:image/svg+xml;base64,AAAA"/>', "svg+xml", "link to outside"),
        ('<image href="data:text/html;base64,AAAA"/>', "text/html", "link to outside"),
        ('<image href="data:image/png;base64,AAAA"/>', "AAAA", "link to outside"),
        (f'<image href="data:image/png;base64,{HUGE}"/>', "iVBOR", "link to outside"),
        ('<use href="http://far/x.svg#a"/>', "far", "link to outside"),
        ('<rect fill="url(http://far/x.svg#a)"/>', "far", "attribute fill"),
        ('<rect style="fill:url(http://far/x)"/>', "far", "attribute style"),
        ("<style>@import url(http://far/x.css);</style>", "far", "style that fetches"),
        ("<style>@font-face{src:url(http://far/x.woff)}</style>", "far", "style that fetches"),
        ("<style>rect{fill:u\\72l(http://far/x)}</style>", "far", "style that fetches"),
        ("<style><![CDATA[a{background:url('http://far')}]]></style>", "far", "style that fetches"),
        ("<style>a{b:url(/*#*/http://far)}</style>", "far", "style that fetches"),
        ('<foreignObject><b xmlns="http://www.w3.org/1999/xhtml">x</b></foreignObject>', "xhtml", "foreignObject"),
        ('<s:script xmlns:s="http://www.w3.org/1999/xhtml">alert(1)</s:script>', "alert", "no SVG"),
        ('<x:include xmlns:x="http://www.w3.org/2001/XInclude" href="/etc/passwd"/>', "passwd", "no SVG"),
        ('<g xml:base="http://far/"/>', "far", "attribute base"),
        ('<feImage href="http://far/x.png"/>', "far", "feImage"),
        ("<handler>x</handler>", "handler", "handler"),
        ("<style>@import url(http://far/x);<g/>rect{}</style>", "far", "style that fetches"),
        ("<style>@import url(http://far/x);<?x y?></style>", "far", "style that fetches"),
        ("<style>@import url(http://far/x);<script/></style>", "far", "style that fetches"),
        ("<style>/**/rect{fill:url( 'http://far')}</style>", "far", "style that fetches"),
        ("<style>/*/rect{}/**/@import 'far'</style>", "far", "style that fetches"),
        ('<set attributeName=" href " to="javascript:alert(1)"/>', "alert", "animation of a link"),
        ('<script xmlns="">alert(1)</script>', "alert", "no SVG"),
    ],
)
def test_what_could_run_or_fetch_is_cut_out_and_said(hostile, gone, note):
    drawing = read_svg(svg(f'<g id="kept">{hostile}</g><rect width="3"/>'))
    assert gone.encode() not in drawing.text
    assert any(note in said for said in drawing.notes), drawing.notes
    assert [node.tag for node in drawing.nodes][:2] == ["svg", "g"] and drawing.nodes[-1].tag == "rect"
    again = read_svg(drawing.text)
    assert again.text == drawing.text and again.notes == ()
    made, media = scene(svg(hostile))
    assert gone not in markup(draw(made, media=media))


@pytest.mark.parametrize(
    ("content", "why"),
    [
        (b"", "no XML"),
        (b"not at all", "no XML"),
        (b"<svg", "no XML"),
        (b"<html/>", "no svg element"),
        (b'<!DOCTYPE s [<!ENTITY a "&#60;b">]>' + svg("&a;"), "entities"),
        (b'<!DOCTYPE s [<!ENTITY a "b"><!ENTITY c "&a;&a;">]>' + svg("&c;"), "entities"),
        (b'<!DOCTYPE s [<!ENTITY a "b"><!ATTLIST rect x CDATA "1">]>' + svg("&a;"), "entities"),
        (b'<!DOCTYPE s [<!ENTITY a "' + b"x" * 2001 + b'">]>' + svg("&a;"), "longer ones than 2,000"),
        (b'<!DOCTYPE s [<!ENTITY a "' + b"x" * 2000 + b'">]>' + svg("&a;" * 600), "much longer"),
        (b'<!DOCTYPE s [<!ENTITY a "b">]>' + svg("&other;"), "line 1 is no XML"),
        (b'<!DOCTYPE s [<!ENTITY x SYSTEM "file:///etc/passwd">]>' + svg("&x;"), "entities"),
        (b'<!DOCTYPE s [<!ENTITY % p SYSTEM "http://far/x.dtd"> %p;]>' + svg(""), "entities"),
        (svg("<g>" * 300 + "</g>" * 300), "nested deeper"),
        (svg('<g id="a"><use href="#a"/></g>'), "without end"),
        (svg('<g id="a"><use href="#b"/></g><g id="b"><use href="#a"/></g>'), "without end"),
        (
            svg(
                "".join(f'<g id="l{n}">' + f'<use href="#l{n - 1}"/>' * 10 + "</g>" for n in range(1, 9))
                + '<g id="l0"/>'
            ),
            "would draw",
        ),
        (svg('<path d="' + "M0 0" * 3_000_000 + '"/>'), "longer than"),
        (gzip.compress(b" " * (70 << 20)), "larger than 64 MB"),
        (svg("<style>/*" + "-" * (9 << 20) + "*/@import url(http://far/x)</style>"), "text is longer"),
        (b'<!DOCTYPE s [<!ATTLIST rect onclick CDATA "alert(1)">]>' + svg("<rect/>"), "declares attributes"),
        (
            svg('<g id="s"/><g id="a"><use href="#a" xlink:href="#s"/></g>'),
            "without end",
        ),
        (
            svg('<g id="s"/><g id="a"><use xlink:href="#s" href="#a"/></g>'),
            "without end",
        ),
        (b"\x1f\x8bnot packed at all", "packing is damaged"),
        (b'<?xml version="1.0" encoding="utf-7"?>' + svg(""), "letters are in utf-7"),
        (b'<?xml version="1.0" encoding="utf-8"?><svg xmlns="http://www.w3.org/2000/svg">\xff</svg>', "not in utf-8"),
    ],
)
def test_a_file_that_cannot_be_made_safe_is_refused_with_the_reason_and_at_once(content, why):
    began = time.perf_counter()
    with pytest.raises(UnreadableScene, match=why):
        read_svg(content)
    assert time.perf_counter() - began < 20


MANY = 200_000


@pytest.mark.parametrize(
    "slow",
    [
        f"<style>{'/*' * MANY}</style>",
        f"<style>{'a' * MANY}</style>",
        f"<style>{'a{' * MANY}</style>",
        f'<rect fill="{"url(" * MANY}"/>',
        f'<rect fill="{"url(#" * MANY}"/>',
        f'<rect xlink:title="{"url(#" * MANY}"/>',
        f'<rect onclick="1"{" " * MANY}/>',
        f'<rect width="{"1" * MANY}x" height="1{" " * MANY}x"/>',
        f'<rect transform="{"a" * MANY}"/>',
        f'<rect transform="{"a(" * MANY}"/>',
        f'<path d="{"1" * MANY}"/>',
        f'<text font-size="{"1" * MANY}" fill="{"#" * MANY}">x</text>',
    ],
    ids=lambda text: text[:16],
)
def test_text_made_to_be_slow_is_read_in_no_time(slow):
    """Each of these kept a pattern with two ways to match busy for half an hour."""
    made, media = scene(svg(slow))
    draw(made, media=media)


def test_styles_that_say_too_much_are_refused():
    with pytest.raises(UnreadableScene, match="style sheets"):
        parts(svg("<style>" + "*{fill:red}" * 2000 + "</style>" + "<rect/>" * 2000))


@pytest.mark.parametrize(
    "odd",
    [
        '<rect width="1e999" height="3"/><path d="M1e999 -1e999L3 3"/>',
        '<g transform="scale(1e300) scale(1e300)"><rect width="3" height="4"/></g>',
        '<filter><feGaussianBlur stdDeviation=" "/></filter><filter><feGaussianBlur stdDeviation="-1e999"/></filter>',
        '<circle r="1e30" cx="nan"/><text x=" , ">x</text><stop offset="nan"/><polygon points="1e999 nan 2"/>',
    ],
)
def test_numbers_that_are_none_are_passed_over(odd):
    made, media = scene(svg(odd))
    assert len(made.parts) > 1 and draw(made, media=media) is not None
    numbers = [value for part in made.parts for value in (part.anchor.x, part.anchor.y, *part.values.values())]
    assert all(abs(value) <= 1e9 for value in numbers if isinstance(value, float))


@pytest.mark.parametrize(
    "head", ['viewBox="0 0 1e999 1"', 'viewBox="a b c d"', 'viewBox="0 0 0 0"', 'width="1e-300" height="1e-300"', ""]
)
def test_a_size_that_cannot_be_drawn_is_passed_over(head):
    assert Sheet(read_svg(svg("").replace(b'viewBox="0 0 200 100"', head.encode()))).box == (0, 0, 300, 150)


def test_limits_are_settings():
    with pytest.raises(UnreadableScene, match="more than 3 elements"):
        read_svg(svg("<g/>" * 3), limits=SvgLimits(elements=3))
    words = svg("<text>" + "w" * 40 + "</text>")
    read_svg(words, limits=SvgLimits(attribute=40))
    with pytest.raises(UnreadableScene, match="a text is longer than 39 letters"):
        read_svg(words, limits=SvgLimits(attribute=39))


# --- parts


def test_every_element_with_something_to_animate_is_a_part_by_the_name_the_file_gives():
    found = parts(
        svg(
            '<defs><linearGradient id="fade"><stop offset="25%" stop-color="teal"/></linearGradient>'
            '<filter id="f"><feGaussianBlur stdDeviation="3"/></filter></defs>'
            '<g id="Lamp"><circle cx="9" cy="8" r="7" fill="#ABC" stroke="navy" stroke-width="2mm"/></g>'
            '<line x1="1" x2="5" stroke="red" stroke-dasharray="4" stroke-dashoffset="2"/>'
            '<text data-name="Name" font-size="12pt" letter-spacing="2">Hello</text><path><title>Leaf</title></path>'
        )
    )
    assert list(found) == ["leaf", "Gradient stop 1", "Blur 1", "Lamp", "Circle 1", "Line 1", "Name", "Leaf"]
    circle = found["Circle 1"]
    assert circle.parent == found["Lamp"].id
    names = ("centre_x", "radius", "fill", "stroke", "opacity", "scale_x")
    assert [circle.own(name) for name in names] == [9, 7, "#aabbcc", "#000080", 1, 1]
    assert circle.own("stroke_width") == pytest.approx(2 * 96 / 25.4)
    assert (circle.anchor.x, circle.anchor.y) == (9, 8)
    assert found["Gradient stop 1"].own("stop_offset") == 0.25
    assert found["Gradient stop 1"].own("stop_colour") == "#008080"
    assert found["Blur 1"].own("blur") == 3 and not found["Blur 1"].has("x")
    assert found["Line 1"].own("dash_offset") == 2 and not found["Line 1"].has("fill")
    assert found["Name"].own("text_size") == pytest.approx(16) and found["Name"].own("spacing") == 2


def test_what_has_no_plain_colour_offers_none():
    found = parts(svg('<path fill="none" stroke="url(#a)"/><rect fill="currentColor"/>'))
    assert not any(part.has("fill") or part.has("stroke") for part in found.values())


def test_a_group_has_its_anchor_in_the_middle_of_what_is_in_it():
    inside = '<rect width="10" height="4"/><rect x="30" width="10" height="8"/>'
    found = parts(svg(f'<g id="G" transform="translate(100 10)">{inside}</g>'))
    assert (found["G"].anchor.x, found["G"].anchor.y) == (120, 14)


@pytest.mark.parametrize(
    ("sheet", "attributes", "expected"),
    [
        (".a{fill:red}", 'class="a"', "#ff0000"),
        (".a{fill:red} path{fill:blue}", 'class="a"', "#ff0000"),
        ("#p{fill:green}.a{fill:red}", 'class="a" id="p"', "#008000"),
        (".a{fill:red}.a{fill:blue}", 'class="a"', "#0000ff"),
        (".a{fill:red!important}.a{fill:blue}", 'class="a" style="fill:lime"', "#ff0000"),
        (".a{fill:red}", 'class="a" style="fill:lime"', "#00ff00"),
        ("g .a, .b{fill:red}", 'class="a" fill="blue"', "#ff0000"),
        ("svg rect{fill:red}", 'fill="blue"', "#0000ff"),
        ("g:hover path{fill:red}", 'fill="blue"', "#0000ff"),
        ("*{fill:red}", "", "#ff0000"),
        ("g{fill:teal}", "", "#008080"),
        ("", "", "#000000"),
    ],
)
def test_styles_win_as_css_says(sheet, attributes, expected):
    found = parts(svg(f"<style>{sheet}</style><g><path {attributes}/></g>"))
    (path,) = [part for part in found.values() if getattr(part.shape.params, "tag", "") == "path"]
    assert path.own("fill") == expected


def test_the_drawing_on_the_page_has_ids_of_its_own_no_styles_and_the_parts_values():
    made, media = scene(
        svg(
            '<style>.a{fill:red;mix-blend-mode:multiply}</style><clipPath id="c"><rect width="9"/></clipPath>'
            '<g id="stage" clip-path="url(#c)"><path class="a" style="opacity:.5"/></g><use href="#stage"/>'
        )
    )
    (group,) = [part for part in made.parts if part.name == "stage"]
    moved = group.model_copy(update={"values": {"x": 5.0}})
    made = made.but(parts=tuple(moved if part is group else part for part in made.parts))
    drawn = markup(draw(made, media=media, prefix="p-"))
    assert 'style="' not in drawn and "<style" not in drawn and 'class="' not in drawn
    assert 'data-css="mix-blend-mode:multiply"' in drawn and 'opacity="0.5"' in drawn
    assert 'id="p-stage--own"' in drawn and 'href="#p-stage--own"' in drawn and 'id="stage"' not in drawn
    assert 'clip-path="url(#p-leaf--n' in drawn
    x, y = group.anchor.x, group.anchor.y
    assert f'transform="translate({x + 5:g} {y:g}) rotate(0) scale(1 1) translate({-x:g} {-y:g})"' in drawn

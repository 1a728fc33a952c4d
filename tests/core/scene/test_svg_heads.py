"""The heads that drawing programs write: entities of plain text, and svg elements without a namespace."""

import pytest

from fern_tide.core.scene.svg.reading import NO_NAMESPACE, read_svg

ENTITIES = b"""<?xml version="1.0" encoding="utf-8"?>
<!-- drawn elsewhere <svg> -->
<!DOCTYPE svg PUBLIC "-//W3C//DTD SVG 1.1//EN" "http://www.w3.org/Graphics/SVG/1.1/DTD/svg11.dtd" [
	<!ENTITY ns_svg "http://www.w3.org/2000/svg">
	<!ENTITY ns_link 'http://www.w3.org/1999/xlink'>
	<!-- and a colour ]> -->
	<!ENTITY leaf "#3e6b3a"><!ENTITY quoted 'say "x">'>
]>
<svg xmlns="&ns_svg;" xmlns:xlink="&ns_link;" viewBox="0 0 9 9"><!-- &leaf; --><rect id="a" width="3" height="3"
 fill="&leaf;"/><text id="b" data-words="&quoted;">&quoted; &amp; <![CDATA[&leaf;]]></text></svg>"""


def test_entities_of_plain_text_are_written_out_and_gone():
    drawing = read_svg(ENTITIES)
    assert b"ENTITY" not in drawing.text and b"<!-- &leaf; -->" in drawing.text and b"[CDATA[&leaf;]]" in drawing.text
    assert drawing.notes == ()
    rect, text = drawing.nodes[1:]
    assert rect.attributes["fill"] == "#3e6b3a"
    assert text.text == 'say "x"> & &leaf;' and text.attributes["data-words"] == 'say "x">'
    assert read_svg(drawing.text).text == drawing.text, "what is kept is read again as it is"


@pytest.mark.parametrize(
    ("text", "links"),
    [
        (b"<svg viewBox='0 0 9 9'><rect id='a' width='3' height='3'/></svg>", b""),
        (
            b"<?xml version='1.0'?>\n<!-- <svg> -->\n<!DOCTYPE svg><svg><use xlink:href='#a'/><rect id='a'/></svg>",
            b"xlink",
        ),
        (b"<svg/>", b""),
        (b"<svg data-a='1>0' xmlns:xlink='http://www.w3.org/1999/xlink'><use xlink:href='#a'/></svg>", b"xlink"),
    ],
)
def test_an_svg_without_its_namespace_is_read_and_that_is_said(text, links):
    drawing = read_svg(text)
    assert drawing.nodes[0].tag == "svg" and drawing.notes == (NO_NAMESPACE,)
    assert (b"xmlns:xlink" in drawing.text) == bool(links)
    assert read_svg(drawing.text).notes == ()


def test_a_greater_sign_in_an_attribute_does_not_end_the_root():
    text = b"<svg data-a='1>0' xmlns='http://www.w3.org/2000/svg'><rect/></svg>"
    assert read_svg(text).notes == () and read_svg(text).text == text

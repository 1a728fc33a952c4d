"""What stays letter for letter, and the heads that drawing programs write: entities, encodings, no namespace."""

import gzip

import pytest
from tests.core.scene.test_svg import svg

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


def test_a_safe_file_stays_letter_for_letter():
    content = (
        b'<?xml version="1.0" encoding="UTF-8"?>\n<!-- drawn \xc3\xa9 > by hand -->\n'
        b'<!DOCTYPE svg PUBLIC "-//W3C//DTD SVG 1.1//EN" "http://www.w3.org/Graphics/SVG/1.1/DTD/svg11.dtd">\n'
        + svg(
            "<style>.a{fill:red}</style>"
            "<metadata><r:RDF xmlns:r='http://www.w3.org/1999/02/22-rdf-syntax-ns#'/></metadata>"
            "<rect class='a' title=\"a > b\"\n width = '4'/><use xlink:href='#x'/>"
        )
    )
    drawing = read_svg(content)
    assert drawing.text == content and drawing.notes == ()


@pytest.mark.parametrize("encoding", ["utf-16", "iso-8859-1", "windows-1252"])
def test_other_letters_are_brought_into_utf_8(encoding):
    text = f'<?xml version="1.0" encoding="{encoding}"?>' + svg("<text>Farn für immer</text>").decode()
    drawing = read_svg(text.encode(encoding))
    assert "Farn für immer" in drawing.text.decode()
    assert read_svg(drawing.text).text == drawing.text


def test_svgz_is_unpacked():
    assert read_svg(gzip.compress(svg("<g/>"))).text == svg("<g/>")


def test_an_animation_goes_where_the_first_child_goes():
    drawing = read_svg(svg('<g id="a" title=">"><rect/></g>'))
    group, rect = drawing.nodes[1:]
    assert drawing.text[group.head :].startswith(b"<rect/>") and not group.closed
    assert drawing.text[rect.head :].startswith(b"/>") and rect.closed

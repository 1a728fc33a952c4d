"""What an SVG file may hold; everything else is cut out."""

from __future__ import annotations

import base64
import binascii
import re
from dataclasses import dataclass

from fern_tide.core.base.errors import UnreadableScene
from fern_tide.core.scene.images import measure_image

SVG = "http://www.w3.org/2000/svg"
XLINK = "http://www.w3.org/1999/xlink"
XML = "http://www.w3.org/XML/1998/namespace"


def listed(words: str) -> frozenset[str]:
    """Give the words of a text as a set."""
    return frozenset(words.split())


ELEMENTS = listed(
    """
    svg g defs symbol use switch a view title desc metadata style path rect circle ellipse line polyline polygon
    text tspan textPath image marker linearGradient radialGradient stop pattern clipPath mask filter feBlend
    feColorMatrix feComponentTransfer feFuncR feFuncG feFuncB feFuncA feComposite feConvolveMatrix
    feDiffuseLighting feDisplacementMap feDistantLight feDropShadow feFlood feGaussianBlur feMerge feMergeNode
    feMorphology feOffset fePointLight feSpecularLighting feSpotLight feTile feTurbulence animate animateTransform
    animateMotion set mpath
    """
)
ANIMATIONS = frozenset(("animate", "animateTransform", "animateMotion", "set"))
_RDF = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
_ACTIVE = ("http://www.w3.org/", "https://www.w3.org/", "http://www.mozilla.org/")
"""Where the namespaces that browsers act on begin: XHTML, MathML, XInclude, events, bindings."""

_DATA_IMAGE = re.compile(r"^data:image/(png|jpeg|jpg|webp);base64,[A-Za-z0-9+/=\s]*$")
_OWN_URL = re.compile(r"url\(\s*+(['\"]?)\s*+#[^()'\"]*+\1\s*+\)", re.IGNORECASE)


@dataclass(frozen=True)
class SvgLimits:
    """How much of an SVG file is taken.

    Attributes:
        bytes: of the file, unpacked.
        elements: in the file.
        shown: elements as drawn, with all that 'use' repeats.
        depth: of nesting.
        attribute: letters of one attribute, or of one text.
        styles: how many rules of its style sheets are held against elements.
    """

    bytes: int = 64 << 20
    elements: int = 60_000
    shown: int = 200_000
    depth: int = 200
    attribute: int = 8 << 20
    styles: int = 2_000_000


_FETCHING = ("url(", "src(", "image-set(", "\\")  # an escape may hide any of them


def is_quiet(namespace: str) -> bool:
    """Say whether elements of a namespace are notes that a program leaves for itself, on which no browser acts."""
    return namespace == _RDF or bool(namespace and not namespace.startswith(_ACTIVE))


def without_comments(css: str) -> str:
    """Give style text without its comments, in time that grows with its length only; an open one goes to the end."""
    first, *others = css.split("/*")
    return first + "".join(other.partition("*/")[2] for other in others)


def css_is_safe(text: str) -> bool:
    """Say whether style text fetches and runs nothing: no import, no font, no url but '#...', no escape hiding one."""
    bare = without_comments(text)
    low = bare.lower()
    if "\\" in bare or any(
        word in low for word in ("@import", "@font-face", "expression(", "javascript:", "-moz-binding")
    ):
        return False
    if "image-set(" in low or "src(" in low:
        return False
    return low.count("url(") == len(_OWN_URL.findall(bare))


def attribute_is_safe(name: str, value: str, *, tag: str, namespace: str) -> bool:
    """Say whether an attribute can stay.

    Args:
        name: its name without a prefix.
        value: its value, entities resolved.
        tag: the element's name, in the SVG namespace.
        namespace: of the attribute; '' for none.
    """
    low = name.lower()
    if low.startswith("on") or (namespace == XML and low == "base"):
        return False
    if low == "href":
        target = value.strip()
        if tag == "image":
            return target.startswith("#") or _is_picture(target)
        return tag != "a" and target.startswith("#")
    if low == "style":
        return css_is_safe(value)
    if tag in ANIMATIONS and low in {"values", "from", "to", "by"}:
        return "javascript:" not in value.lower() and css_is_safe(value)
    if namespace in {"", SVG} and "(" in value and any(word in value.lower() for word in _FETCHING):
        return css_is_safe(value)
    return not value.strip().lower().startswith(("javascript:", "vbscript:"))


def _is_picture(address: str) -> bool:
    """Say whether an address holds a picture of a size that can be shown."""
    if not _DATA_IMAGE.match(address):
        return False
    try:
        measure_image(base64.b64decode(address.partition(",")[2]))
    except (UnreadableScene, binascii.Error):
        return False
    return True


def animation_is_safe(attributes: dict[str, str]) -> bool:
    """Say whether an animation that came with a file changes neither links nor handlers."""
    what = attributes.get("attributeName", "").split(":")[-1].strip().lower()
    return what != "href" and not what.startswith("on") and what != "style"

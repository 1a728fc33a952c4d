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
QUIET_NAMESPACES = (
    "http://www.inkscape.org/",
    "http://sodipodi.sourceforge.net/",
    "http://www.w3.org/1999/02/22-rdf-syntax-ns#",
    "http://purl.org/dc/",
    "http://creativecommons.org/",
    "http://web.resource.org/cc/",
    "http://ns.adobe.com/",
)
"""Namespaces of notes that drawing programs leave for themselves; no browser acts on them."""

_DATA_IMAGE = re.compile(r"^data:image/(png|jpeg|jpg|webp);base64,[A-Za-z0-9+/=\s]*$")
_URL = re.compile(r"url\(\s*(['\"]?)(.*?)\1\s*\)", re.IGNORECASE | re.DOTALL)
_CSS_COMMENT = re.compile(r"/\*.*?\*/", re.DOTALL)


@dataclass(frozen=True)
class SvgLimits:
    """How much of an SVG file is taken.

    Attributes:
        bytes: of the file, unpacked.
        elements: in the file.
        shown: elements as drawn, with all that 'use' repeats.
        depth: of nesting.
        attribute: letters of one attribute.
    """

    bytes: int = 64 << 20
    elements: int = 60_000
    shown: int = 200_000
    depth: int = 200
    attribute: int = 8 << 20


def css_is_safe(text: str) -> bool:
    """Say whether style text fetches and runs nothing: no import, no font, no url but '#...', no escape hiding one."""
    bare = _CSS_COMMENT.sub("", text)
    low = bare.lower()
    if "\\" in bare or any(
        word in low for word in ("@import", "@font-face", "expression(", "javascript:", "-moz-binding")
    ):
        return False
    if "image-set(" in low or "src(" in low:
        return False
    return all(match[2].strip().startswith("#") for match in _URL.finditer(bare)) and low.count("url(") == len(
        _URL.findall(bare)
    )


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
    if namespace in {"", SVG} and "url(" in value.lower():
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
    what = attributes.get("attributeName", "").split(":")[-1].lower()
    return what != "href" and not what.startswith("on") and what != "style"

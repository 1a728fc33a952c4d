"""What drawing programs write at the head of an SVG: entities that stand for plain text, and no namespace."""

from __future__ import annotations

import re

from fern_tide.core.scene.svg.allowed import SVG, XLINK
from fern_tide.core.scene.svg.drawing import refuse

MOST_ENTITIES, LONGEST_ENTITY, MOST_GROWTH = 200, 2000, 1 << 20
_BEFORE = rb"(?:\s++|<\?.*?(?:\?>|\Z)|<!--.*?(?:-->|\Z))*+"
_HEAD = re.compile(_BEFORE + rb"<!DOCTYPE\s+[^\[<>]*(\[)", re.DOTALL)
_VALUE = rb"""(?:"([^"<&%]*)"|'([^'<&%]*)')"""
_DECLARED = re.compile(
    rb"\s*+(?:<!--.*?(?:-->|\Z)|<!ENTITY\s+([A-Za-z_][\w.\-]*)\s+" + _VALUE + rb"\s*>)\s*+", re.DOTALL
)
_END = re.compile(rb"\s*+\]\s*(?=>)")
_SPARED = re.compile(rb"<!\[CDATA\[.*?(?:\]\]>|\Z)|<!--.*?(?:-->|\Z)|&([A-Za-z_][\w.\-]*);", re.DOTALL)
_DOCTYPE = rb"(?:<!DOCTYPE[^<>\[]*+(?:\[[^\]]*+\]\s*+)?>)?+"
_ROOT = re.compile(_BEFORE + _DOCTYPE + _BEFORE + rb"""<svg(?=[\s>/])((?:[^>"']++|"[^"]*+"|'[^']*+')*+)>""", re.DOTALL)
_NAMED = re.compile(rb"\sxmlns\s*=")
_OWN = frozenset((b"lt", b"gt", b"amp", b"quot", b"apos"))


def without_entities(source: bytes) -> bytes:
    """Write the entities of a file out and take their declarations away, where all of them are plain text.

    Entities that name a file, that are made of others, or that are of the declaration itself are left as they are: they
    are refused when the file is read.

    Raises:
        UnreadableScene: there are more than 200, one is longer than 2,000 letters, or they make the file much longer.
    """
    head = _HEAD.match(source)
    if head is None:
        return source
    values: dict[bytes, bytes] = {}
    at = head.end()
    while (match := _DECLARED.match(source, at)) is not None:
        if match[1] is not None:
            values.setdefault(match[1], match[2] if match[2] is not None else match[3])
        at = match.end()
    end = _END.match(source, at)
    if end is None:
        return source
    if len(values) > MOST_ENTITIES or any(len(value) > LONGEST_ENTITY for value in values.values()):
        raise refuse(f"it declares more than {MOST_ENTITIES} entities, or longer ones than {LONGEST_ENTITY:,} letters")
    rest = source[end.end() :]
    uses = [match[1] for match in _SPARED.finditer(rest) if match[1] in values]
    if sum(len(values[name]) for name in uses) > MOST_GROWTH:
        raise refuse("its entities make it much longer than it is")

    def written(match: re.Match[bytes]) -> bytes:
        name = match[1]
        if name is None or name in _OWN or name not in values:
            return match[0]
        return values[name].replace(b'"', b"&quot;").replace(b"'", b"&apos;").replace(b">", b"&gt;")

    return source[: head.start(1)].rstrip() + _SPARED.sub(written, rest)


def with_namespace(source: bytes) -> tuple[bytes, bool]:
    """Give a file whose svg element says no namespace the one of SVG, and that of links where those are used.

    Returns:
        The file, and whether something was added.
    """
    root = _ROOT.match(source)
    if root is None or _NAMED.search(root[1]):
        return source, False
    added = f' xmlns="{SVG}"'
    if b"xlink:" in source and b"xmlns:xlink" not in root[1]:
        added += f' xmlns:xlink="{XLINK}"'
    at = root.start(1)
    return source[:at] + added.encode() + source[at:], True

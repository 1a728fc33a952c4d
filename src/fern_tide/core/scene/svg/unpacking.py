"""The bytes of an SVG file: unpacked and in UTF-8, within limits."""

from __future__ import annotations

import gzip
import io
import re
import zlib

from fern_tide.core.scene.svg.drawing import refuse

_ENCODINGS = {
    "utf-8",
    "utf8",
    "us-ascii",
    "ascii",
    "iso-8859-1",
    "latin-1",
    "windows-1252",
    "utf-16",
    "utf-16le",
    "utf-16be",
}
_DECLARED = re.compile(rb"""^\s*<\?xml[^>]*?encoding\s*=\s*["']([\w.\-]+)["']""")
_DECLARATION = re.compile(r"^\s*<\?xml[^>]*\?>")


def unpacked(content: bytes, *, most: int) -> bytes:
    """Give a file's bytes, unpacked where it is an svgz; refuse more than `most`."""
    if content[:2] == b"\x1f\x8b":
        try:
            with gzip.GzipFile(fileobj=io.BytesIO(content)) as packed:
                content = packed.read(most + 1)
        except (OSError, EOFError, zlib.error) as cause:
            raise refuse("its packing is damaged") from cause
    if len(content) > most:
        raise refuse(f"unpacked it is larger than {most >> 20} MB")
    return content


def as_utf8(content: bytes) -> bytes:
    """Bring a file into UTF-8 and leave one that is already as it is."""
    encoding = "utf-8"
    if content[:2] in {b"\xff\xfe", b"\xfe\xff"}:
        encoding = "utf-16"
    elif declared := _DECLARED.match(content[3:] if content[:3] == b"\xef\xbb\xbf" else content):
        encoding = declared[1].decode().lower()
    if encoding not in _ENCODINGS:
        raise refuse(f"its letters are in {encoding:.30}, which is not read")
    try:
        text = content.decode(encoding).removeprefix("\ufeff")
    except UnicodeDecodeError as cause:
        raise refuse(f"it is not in {encoding} as it says") from cause
    if encoding not in {"utf-8", "utf8", "us-ascii", "ascii"}:
        text = _DECLARATION.sub('<?xml version="1.0" encoding="UTF-8"?>', text, count=1)
    return text.encode()

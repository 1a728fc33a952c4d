"""The glTF container: JSON and binary, in one GLB or as files that came together, brought into one GLB.

Khronos Group, glTF 2.0 specification, sections 3.6 (buffers), 4 (GLB) and 3.2 (URIs).
"""

from __future__ import annotations

import base64
import binascii
import json
import re
import struct
from collections.abc import Mapping
from dataclasses import dataclass, field
from math import isfinite
from typing import Any

from fern_tide.core.base.errors import UnreadableScene
from fern_tide.core.base.limits import TooMuch, read_json
from fern_tide.core.scene.gltf.basis import KTX2, MEDIA_TYPE

Json = dict[str, Any]
_MAGIC, _JSON, _BIN = 0x46546C67, 0x4E4F534A, 0x004E4942
_DATA = re.compile(r"^data:([\w.+\-]+/[\w.+\-]+)?(?:;[\w=\-.]+)*;base64,", re.ASCII)
_IMAGES = {b"\x89PNG": "image/png", b"\xff\xd8\xff": "image/jpeg", b"RIFF": "image/webp", KTX2: MEDIA_TYPE}
MESHOPT = ("EXT_meshopt_compression", "KHR_meshopt_compression")
_REMEDY = "Export it again as GLB, or choose another file."


@dataclass(frozen=True)
class GltfLimits:
    """How much of a glTF file is taken.

    Attributes:
        bytes: of the file and all that came with it.
        json_bytes: of its JSON.
        nodes: in it.
        depth: of nested nodes.
        vertices: of all its meshes.
    """

    bytes: int = 256 << 20
    json_bytes: int = 16 << 20
    nodes: int = 20_000
    depth: int = 200
    vertices: int = 20_000_000


@dataclass
class Gltf:
    """A glTF file with one binary chunk.

    Attributes:
        json: the document; its first buffer is the binary chunk, and others stand for what is packed in it.
        binary: what accessors and images lie in.
        notes: what was changed on the way in, in words.
    """

    json: Json
    binary: bytes
    notes: tuple[str, ...] = field(default=())


def refuse(why: str, *, remedy: str = _REMEDY) -> UnreadableScene:
    """Make the error for a file that is not taken."""
    return UnreadableScene(f"The glTF file cannot be used: {why}.", remedy=remedy)


def unpack(content: bytes, *, beside: Mapping[str, bytes], limits: GltfLimits) -> Gltf:
    """Read a GLB or a .gltf with the files that came together with it.

    Raises:
        UnreadableScene: it is neither, is cut off, or names a file that did not come with it.
    """
    if len(content) + sum(map(len, beside.values())) > limits.bytes:
        raise refuse(f"it is larger than {limits.bytes >> 20} MB")
    if content[:4] == b"glTF":
        text, chunk = _chunks(content)
    else:
        text, chunk = content, None
    if len(text) > limits.json_bytes:
        raise refuse(f"its JSON is larger than {limits.json_bytes >> 20} MB")
    document = _parse(text)
    return _Gatherer(document, chunk, beside).gather()


def _chunks(content: bytes) -> tuple[bytes, bytes | None]:
    if len(content) < 20:
        raise refuse("it is cut off")
    _, version, length = struct.unpack_from("<III", content)
    if version != 2:
        raise refuse(f"it is GLB version {version}, and 2 is read")
    if length > len(content) or length < 20:
        raise refuse("it says that it is longer than it is")
    at, chunks = 12, dict[int, bytes]()
    while at + 8 <= length:
        size, kind = struct.unpack_from("<II", content, at)
        if at + 8 + size > length:
            raise refuse("one of its chunks is cut off")
        chunks.setdefault(kind, content[at + 8 : at + 8 + size])
        at += 8 + size
    if _JSON not in chunks:
        raise refuse("it holds no JSON")
    return chunks[_JSON], chunks.get(_BIN)


def _parse(text: bytes) -> Json:
    def never(word: str) -> None:
        raise refuse(f"it holds the number {word}")

    try:
        document = read_json(text.decode().removeprefix("\ufeff"), constant=never, number=_finite)
    except TooMuch as cause:
        raise refuse(f"its JSON {cause.what.removeprefix('It ')[:-1]}") from cause
    except ValueError as cause:
        raise refuse("its JSON is damaged") from cause
    if not isinstance(document, dict) or not isinstance(document.get("asset"), dict):
        raise refuse("it is no glTF")
    if not str(document["asset"].get("version", "")).startswith("2."):
        raise refuse(f"it is glTF version {document['asset'].get('version')!s:.10}, and 2.0 is read")
    return document


def _finite(text: str) -> float:
    number = float(text)
    if not isfinite(number):
        raise refuse(f"it holds the number {text:.20}")
    return number


class _Gatherer:
    """Brings every buffer and image into one binary chunk."""

    def __init__(self, document: Json, chunk: bytes | None, beside: Mapping[str, bytes]) -> None:
        self._document, self._chunk, self._beside = document, chunk, beside
        self._notes: list[str] = []

    def gather(self) -> Gltf:
        buffers = listed(self._document, "buffers")
        if len(buffers) == 1 and "uri" not in buffers[0] and not self._outside():
            binary = self._chunk or b""
            if whole(buffers[0], "byteLength") > len(binary):
                raise refuse("its buffer says that it is longer than it is")
            return Gltf(self._document, binary, ())
        pieces, at = [], 0
        starts: list[tuple[int, int]] = []  # which buffer each becomes, and where in it
        stubs: list[Json] = []
        for place, buffer in enumerate(buffers):
            if (stub := stub_of(buffer)) is not None:
                stubs.append(stub)
                starts.append((len(stubs), 0))
                continue
            content = self._buffer(place, buffer)
            starts.append((0, at))
            pieces.append(content + b"\0" * (-len(content) % 4))
            at += len(pieces[-1])
        for view in listed(self._document, "bufferViews"):
            for span in (view, *(item for name, item in view.get("extensions", {}).items() if name in MESHOPT)):
                which = whole(span, "buffer")
                if which >= len(starts):
                    raise refuse("a buffer view names a buffer that is not there")
                span["buffer"], start = starts[which]
                span["byteOffset"] = whole(span, "byteOffset", 0) + start
        at = self._images(pieces, at)
        if at:
            self._document["buffers"] = [{"byteLength": at}, *stubs]
        return Gltf(self._document, b"".join(pieces), tuple(self._notes))

    def _outside(self) -> bool:
        return any("uri" in image for image in listed(self._document, "images"))

    def _buffer(self, place: int, buffer: Json) -> bytes:
        length = whole(buffer, "byteLength")
        if "uri" in buffer:
            content = self._fetch(buffer["uri"])
        elif place == 0 and self._chunk is not None:
            content = self._chunk
        else:
            raise refuse(f"buffer {place} is not in it")
        if length > len(content):
            raise refuse(f"buffer {place} says that it is longer than it is")
        return content[:length]

    def _images(self, pieces: list[bytes], at: int) -> int:
        views = self._document.setdefault("bufferViews", []) if self._outside() else []
        for image in listed(self._document, "images"):
            if "uri" not in image:
                continue
            content = self._fetch(image.pop("uri"))
            kind = next((name for head, name in _IMAGES.items() if content.startswith(head)), None)
            if kind is None:
                raise refuse("one of its images is no PNG, JPEG, WebP or KTX2")
            image["mimeType"], image["bufferView"] = kind, len(views)
            views.append({"buffer": 0, "byteOffset": at, "byteLength": len(content)})
            pieces.append(content + b"\0" * (-len(content) % 4))
            at += len(pieces[-1])
        return at

    def _fetch(self, uri: object) -> bytes:
        """Give what a URI names: data in the URI itself, or a file that came together with this one."""
        text = str(uri)
        if match := _DATA.match(text):
            try:
                return base64.b64decode(text[match.end() :], validate=True)
            except binascii.Error as cause:
                raise refuse("data inside it is damaged") from cause
        name = _unquoted(text).removeprefix("./")
        if name in self._beside:
            self._notes.append(packed_in(name))
            return self._beside[name]
        if ":" in name or "/" in name or "\\" in name or name.startswith("."):
            raise refuse(f"it points outside itself, at {text:.60}", remedy="Export it as GLB, which holds everything.")
        raise refuse(f"{name:.60} did not come with it", remedy=f"Drop {name:.60} together with it, or export a GLB.")


def packed_in(name: str) -> str:
    """Say that a file which came beside another is in it now."""
    return f"{name:.60} was packed in"


def stub_of(buffer: Json) -> Json | None:
    """Give a buffer that holds nothing and stands for what is packed elsewhere; None for any other."""
    extensions = buffer.get("extensions", {})
    stands = any(extensions.get(name, {}).get("fallback") for name in MESHOPT)
    return buffer if stands and "uri" not in buffer else None


def _unquoted(text: str) -> str:
    """Resolve the percent signs of a URI."""
    raw = re.sub(rb"%([0-9A-Fa-f]{2})", lambda match: bytes([int(match[1], 16)]), text.encode("utf-8", "replace"))
    return raw.decode("utf-8", "replace")


def pack(gltf: Gltf) -> bytes:
    """Write a GLB; the same document gives the same bytes."""
    text = json.dumps(gltf.json, separators=(",", ":"), ensure_ascii=False, allow_nan=False).encode()
    text += b" " * (-len(text) % 4)
    binary = gltf.binary + b"\0" * (-len(gltf.binary) % 4)
    chunks = struct.pack("<II", len(text), _JSON) + text
    if binary:
        chunks += struct.pack("<II", len(binary), _BIN) + binary
    return struct.pack("<III", _MAGIC, 2, 12 + len(chunks)) + chunks


def listed(owner: Json, name: str) -> list[Json]:
    """Give a list of objects of a document, empty where there is none; refuse anything else."""
    items = owner.get(name, [])
    if not isinstance(items, list) or not all(isinstance(item, dict) for item in items):
        raise refuse(f"its {name} are no list of objects")
    return items


def items_of(owner: Json, name: str) -> list[Json]:
    """Give a list of a document that was read, and so looked through, already; empty where there is none."""
    items: list[Json] = owner.get(name, [])
    return items


def whole(owner: Json, name: str, default: int | None = None, *, most: int = 2**40) -> int:
    """Give a count or an index of a document, and write one that has a point, such as 2.0, without; refuse others."""
    value = owner.get(name, default)
    if isinstance(value, float) and value.is_integer():
        value = owner[name] = int(value)
    if isinstance(value, bool) or not isinstance(value, int) or not 0 <= value <= most:
        raise refuse(f"{name} is {value!s:.30}, which is no count")
    return value

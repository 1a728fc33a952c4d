"""The header of a WAV file: how its samples are coded, where its channels stand, and how much of it is there."""

from __future__ import annotations

import struct
from dataclasses import dataclass
from typing import BinaryIO

from fern_tide.core.base.errors import UnreadableSound

PLAIN_TAGS = frozenset({0x1, 0x2, 0x3, 0x6, 0x7, 0x11, 0x31})  # PCM, float, A-law, u-law, ADPCM, GSM
_EXTENSIBLE = 0xFFFE
_SIZE_UNKNOWN = {0, 0xFFFFFFFF, 0x7FFFFFFF, 0x7FFFF000}  # what programs that stream write


@dataclass(frozen=True)
class WavHeader:
    """What a WAV says of itself.

    Attributes:
        tag: how samples are coded, as registered: 1 is PCM, 3 float.
        bits: in a sample.
        bytes_per_s: of the sound.
        channel_mask: which loudspeakers there are, one bit each; 0 where the file does not say.
        claimed_bytes: of sound, as the file says; None where it does not.
        held_bytes: what is there after the header.
    """

    tag: int
    bits: int
    bytes_per_s: int
    channel_mask: int
    claimed_bytes: int | None
    held_bytes: int


def wav_header(stream: BinaryIO) -> WavHeader | None:
    """Read the header of a WAV or RF64 file, or give None where the stream is neither, or has no sound in it.

    Raises:
        UnreadableSound: the file ends inside its header.
    """
    size = stream.seek(0, 2)
    stream.seek(0)
    head = stream.read(12)
    if head[:4] not in {b"RIFF", b"RF64"} or head[8:12] != b"WAVE":
        return None
    at, form = 12, (0, 0, 0, 0)
    while at + 8 <= size:
        stream.seek(at)
        name, length = struct.unpack("<4sI", stream.read(8))
        if name == b"fmt ":
            form = _form(stream.read(min(length, 40)))
        if name == b"data":
            claimed = None if length in _SIZE_UNKNOWN else length
            return WavHeader(*form, claimed_bytes=claimed, held_bytes=size - at - 8)
        at += 8 + length + length % 2
    return None


def _form(chunk: bytes) -> tuple[int, int, int, int]:
    if len(chunk) < 16:
        raise UnreadableSound(
            "The file ends inside its header.", remedy="It is cut off or damaged: export or download it again."
        )
    tag, _, _, bytes_per_s, _, bits = struct.unpack("<HHIIHH", chunk[:16])
    if tag != _EXTENSIBLE or len(chunk) < 26:
        return tag, bits, bytes_per_s, 0
    mask, real_tag = struct.unpack("<IH", chunk[20:26])
    return real_tag, bits, bytes_per_s, mask

"""Which program reads a sound file: decided by its first bytes, never by its name.

The sound library reads what is plain and exact. Everything else goes to a demuxer from a short list, so that no
playlist or other format that names further files is ever opened.
"""

from __future__ import annotations

from typing import BinaryIO

from fern_tide.core.sound.wav_header import PLAIN_TAGS, wav_header

_MOST_TAGS = 4  # ID3 tags before the sound
_SEARCHED_BYTES = 65_536  # how far into a file its first frame may lie
_HEADS = (
    (4, b"ftyp", "mov"),
    (4, b"moov", "mov"),
    (4, b"mdat", "mov"),
    (4, b"wide", "mov"),
    (4, b"free", "mov"),
    (4, b"skip", "mov"),
    (0, b"\x1aE\xdf\xa3", "matroska"),
    (0, b"0&\xb2u", "asf"),
    (0, b"OggS", "ogg"),
    (0, b"\0\0\1\xba", "mpeg"),
    (0, b"wvpk", "wv"),
    (0, b"\x7f\xfe\x80\x01", "dts"),
    (0, b"\xfe\x7f\x01\x80", "dts"),
)
_FALLBACKS = ((b"RIFF", "wav"), (b"RF64", "wav"), (b"FORM", "aiff"), (b"caff", "caf"))
_MPEG_KBIT = {  # ISO 11172-3 and 13818-3: by version (1, else 2) and layer
    (1, 1): (32, 64, 96, 128, 160, 192, 224, 256, 288, 320, 352, 384, 416, 448),
    (1, 2): (32, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 384),
    (1, 3): (32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320),
    (2, 1): (32, 48, 56, 64, 80, 96, 112, 128, 144, 160, 176, 192, 224, 256),
    (2, 2): (8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160),
    (2, 3): (8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 144, 160),
}
_MPEG_HZ = (44_100, 48_000, 32_000)


def demuxer_of(stream: BinaryIO) -> str | None:
    """Give the demuxer for a stream, or None where the sound library is to read it.

    Raises:
        UnreadableSound: it is a WAV that ends inside its header.
    """
    at = _after_tags(stream)
    head = stream.read(_SEARCHED_BYTES)
    stream.seek(0)
    named = next((name for place, mark, name in _HEADS if head[place : place + len(mark)] == mark), None)
    if named is not None:
        return named
    if head[8:12] == b"WAVE":
        header = wav_header(stream)
        return None if header is None or (header.tag in PLAIN_TAGS and header.bits <= _most_bits(header.tag)) else "wav"
    if _is_transport(head):
        return "mpegts"
    return _framed(head, searched=at > 0)


def fallback_demuxer_of(stream: BinaryIO) -> str | None:
    """Give the demuxer for a file of a plain kind whose coding the sound library does not know, if there is one."""
    stream.seek(0)
    head = stream.read(4)
    stream.seek(0)
    return next((name for mark, name in _FALLBACKS if head == mark), None)


def _most_bits(tag: int) -> int:
    return 64 if tag == 3 else 32


def _after_tags(stream: BinaryIO) -> int:
    """Go to the first byte after ID3 tags, and give where it is."""
    at = 0
    for _ in range(_MOST_TAGS):
        stream.seek(at)
        head = stream.read(10)
        if head[:3] != b"ID3" or len(head) < 10:
            break
        at += 10 + sum((byte & 0x7F) << 7 * place for place, byte in enumerate(reversed(head[6:10])))
        at += 10 if head[5] & 0x10 else 0
    stream.seek(at)
    return at


def _is_transport(head: bytes) -> bool:
    return any(
        len(head) > 3 * size and all(head[first + k * size] == 0x47 for k in range(3))
        for size, first in ((188, 0), (192, 4))
    )


def _framed(head: bytes, *, searched: bool) -> str | None:
    """Give the demuxer of a stream of frames that begins here, or somewhere near behind a tag."""
    for at in range(len(head) - 6) if searched or head[:1] == b"\0" else range(min(1, len(head))):
        name = _frame_at(head, at)
        if name is not None:
            return name
    return None


def _frame_at(head: bytes, at: int) -> str | None:
    """Give the kind of frame that begins at a byte, where another follows it or the file ends with it."""
    here = head[at : at + 8]
    if len(here) < 6:
        return None
    if here[:2] == b"\x0b\x77":
        return "eac3" if here[5] >> 3 > 10 else "ac3"
    if here[0] != 0xFF:
        return None
    if here[1] & 0xF6 == 0xF0:
        length, name = (here[3] & 3) << 11 | here[4] << 3 | here[5] >> 5, "aac"
    else:
        length, name = _mpeg_length(here), "mp3"
    following = head[at + length : at + length + 2]
    same = len(following) < 2 or (following[0] == 0xFF and following[1] & 0xF6 == here[1] & 0xF6)
    return name if length > 6 and same else None


def _mpeg_length(here: bytes) -> int:
    """Give the length of an MPEG audio frame in bytes, or 0 where this is no frame's head."""
    version, layer = here[1] >> 3 & 3, 4 - (here[1] >> 1 & 3)
    rate, hz = here[2] >> 4, here[2] >> 2 & 3
    if here[1] & 0xE0 != 0xE0 or version == 1 or layer == 4 or hz == 3 or not 0 < rate < 15:
        return 0
    family = 1 if version == 3 else 2
    sample_rate = _MPEG_HZ[hz] >> (0 if version == 3 else 1 if version == 2 else 2)
    bits, padded = _MPEG_KBIT[family, layer][rate - 1] * 1000, here[2] >> 1 & 1
    if layer == 1:
        return (12 * bits // sample_rate + padded) * 4
    return (72 if layer == 3 and family == 2 else 144) * bits // sample_rate + padded

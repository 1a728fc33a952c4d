"""Which program reads a file: by its first bytes, frame lengths counted by hand after ISO 11172-3 and 13818-3."""

import io

import pytest

from fern_tide.core.sound.kinds import demuxer_of, fallback_demuxer_of


def kind_of(content: bytes) -> str | None:
    stream = io.BytesIO(content)
    found = demuxer_of(stream)
    assert stream.tell() == 0  # it is left at its start
    return found


HEADS = {
    b"\0\0\0\x20ftypM4A ": "mov",
    b"\0\0\0\x08wide\0\0\0\0": "mov",
    b"\0\0\0\x08free\0\0\0\0": "mov",
    b"\0\0\0\x08skip\0\0\0\0": "mov",
    b"\0\0\0\x08moov\0\0\0\0": "mov",
    b"\0\0\0\x08mdat\0\0\0\0": "mov",
    b"\x1aE\xdf\xa3\x01": "matroska",
    b"0&\xb2u\x8e\x66": "asf",
    b"OggS\0\x02": "ogg",
    b"\0\0\x01\xba\x44": "mpeg",
    b"wvpk\0\0": "wv",
    b"\x7f\xfe\x80\x01\xfc": "dts",
    b"\xfe\x7f\x01\x80\xf1": "dts",
    b"fLaC\0\0\0\x22": None,
    b"RIFX\0\0\0\0WAVX": None,
    b"#EXTM3U\nhttp://far/": None,
    b"": None,
}


@pytest.mark.parametrize(("head", "kind"), HEADS.items())
def test_files_are_known_by_their_heads_at_their_places(head, kind):
    assert kind_of(head + b"\x11" * 64) == kind
    assert kind_of(b"\x11" + head + b"\x11" * 64) is None


def header(*, version: int, layer: int, rate: int, hz: int, padded: int = 0) -> bytes:
    """An MPEG audio frame's head: version 3 is 1, 2 is 2, 0 is 2.5; layers 1 to 3; places in the tables."""
    return bytes([0xFF, 0xE0 | version << 3 | (4 - layer) << 1 | 1, rate << 4 | hz << 2 | padded << 1, 0xC4])


FRAMES = {
    "128 kbit/s, 44.1 kHz": ({"version": 3, "layer": 3, "rate": 9, "hz": 0}, 417),
    "padded": ({"version": 3, "layer": 3, "rate": 9, "hz": 0, "padded": 1}, 418),
    "320 kbit/s, 48 kHz": ({"version": 3, "layer": 3, "rate": 14, "hz": 1}, 960),
    "32 kbit/s, 32 kHz": ({"version": 3, "layer": 3, "rate": 1, "hz": 2}, 144),
    "version 2, 64 kbit/s, 22.05 kHz": ({"version": 2, "layer": 3, "rate": 8, "hz": 0}, 208),
    "version 2.5, 8 kbit/s, 12 kHz": ({"version": 0, "layer": 3, "rate": 1, "hz": 1}, 48),
    "layer 2, 192 kbit/s, 48 kHz": ({"version": 3, "layer": 2, "rate": 10, "hz": 1}, 576),
    "layer 2 of version 2, 160 kbit/s, 24 kHz": ({"version": 2, "layer": 2, "rate": 14, "hz": 1}, 960),
    "layer 1, 448 kbit/s, 32 kHz": ({"version": 3, "layer": 1, "rate": 14, "hz": 2}, 672),
    "layer 1 of version 2, 256 kbit/s, 16 kHz, padded": (
        {"version": 2, "layer": 1, "rate": 14, "hz": 2, "padded": 1},
        772,
    ),
}


@pytest.mark.parametrize(("fields", "length"), FRAMES.values(), ids=FRAMES)
def test_a_frame_is_one_where_the_next_begins_at_its_end(fields, length):
    head = header(**fields)
    frame = head + bytes(length - 4)
    assert kind_of(frame + head) == "mp3" == kind_of(frame * 3)
    assert kind_of(frame) == "mp3"  # the file ends with it
    assert kind_of(frame + b"\0" + head) is None and kind_of(frame[:-1] + head + b"\0" * 8) is None
    assert (
        kind_of(b"ID3\x04\0\0\0\0\0\x05" + b"-----" + b"junk" + frame + head) == "mp3"
    )  # behind a tag it is looked for
    assert kind_of(b"junk" + frame + head) is None
    assert kind_of(b"\0" * 700 + frame + head) == "mp3"  # and behind silence


@pytest.mark.parametrize("change", [{"version": 1}, {"hz": 3}, {"rate": 0}, {"rate": 15}])
def test_what_the_standard_keeps_free_is_no_frame(change):
    head = header(**{"version": 3, "layer": 3, "rate": 9, "hz": 0, **change})
    assert kind_of((head + bytes(413)) * 3) is None


def test_frames_of_aac_ac3_and_eac3_are_told_apart():
    length = 371
    adts = bytes([0xFF, 0xF1, 0x50, 0x80 | length >> 11, length >> 3 & 0xFF, (length & 7) << 5 | 0x1F, 0xFC, 0])
    frame = adts + bytes(length - 8)
    assert kind_of(frame + adts) == "aac" and kind_of(frame + b"\0" + adts) is None
    for identity, kind in ((8, "ac3"), (10, "ac3"), (11, "eac3"), (16, "eac3")):
        assert kind_of(b"\x0b\x77\0\0\x1c" + bytes([identity << 3]) + bytes(64)) == kind
    assert kind_of(b"\x0b\x77\0\0\x1c") is None  # too short to say


@pytest.mark.parametrize(("size", "first"), [(188, 0), (192, 4)])
def test_a_transport_stream_has_its_mark_in_every_packet(size, first):
    stream = bytearray(b"\x11" * (size * 3 + 1))
    for packet in range(3):
        stream[first + packet * size] = 0x47
    assert kind_of(bytes(stream)) == "mpegts"
    assert kind_of(bytes(stream[:-1])) is None  # too short to be sure
    for packet in range(3):
        wrong = bytearray(stream)
        wrong[first + packet * size] = 0x48
        assert kind_of(bytes(wrong)) is None


def test_tags_are_passed_over_by_the_length_that_they_say():
    frame = header(version=3, layer=3, rate=9, hz=0) + bytes(413)
    size = 0x1234
    tag = b"ID3\x04\0\0" + bytes([0, 0, size >> 7 & 0x7F, size & 0x7F]) + bytes(size)
    footed = b"ID3\x04\0\x10" + bytes([0, 0, size >> 7 & 0x7F, size & 0x7F]) + bytes(size + 10)
    for before in (tag, footed, tag + footed, tag * 4):
        assert kind_of(before + b"OggS" + frame) == "ogg"
    assert kind_of(tag * 5 + b"OggS") is None  # four are enough
    assert kind_of(b"ID3\x04") is None


def test_what_the_sound_library_does_not_know_may_go_to_a_demuxer():
    for head, kind in ((b"RIFF", "wav"), (b"RF64", "wav"), (b"FORM", "aiff"), (b"caff", "caf"), (b"fLaC", None)):
        stream = io.BytesIO(head + b"\0" * 20)
        assert fallback_demuxer_of(stream) == kind and stream.tell() == 0

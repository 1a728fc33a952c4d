"""Notes of MIDI files: by bytes written by hand, and by files that another library writes."""

import contextlib
import io
import struct

import mido
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import Held

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.envelope.envelope import ReadingChoice, read_raw
from fern_tide.core.envelope.notes import MOST_BYTES, UnreadableNotes, read_notes


def chunk(kind: bytes, body: bytes) -> bytes:
    return kind + struct.pack(">I", len(body)) + body


def song(*tracks: bytes, kind=0, division=96) -> bytes:
    """A Standard MIDI File, byte by byte."""
    head = chunk(b"MThd", struct.pack(">HHH", kind, len(tracks), division & 0xFFFF))
    return head + b"".join(chunk(b"MTrk", track + b"\x00\xff\x2f\x00") for track in tracks)


TEMPO_240 = b"\x00\xff\x51\x03\x03\xd0\x90"  # 250,000 us a beat
ONE = b"\x60\x90\x3c\x64" + b"\x30\x80\x3c\x00"  # after a beat middle C at 100, half a beat long


def read(content, reading, *, n_frames=40, rate="10"):
    choice = ReadingChoice.parse(f"{reading} media={'0' * 64}")
    return read_raw(choice, Held(None, {}, rate=FrameRate.parse(rate), n_frames=n_frames, points=read_notes(content)))


def test_a_note_by_its_bytes():
    notes = read_notes(song(ONE))
    assert notes.times_s.tolist() == [0.5] and notes.lengths_s.tolist() == [0.25]
    assert (notes.keys[0], notes.velocities[0], notes.channels[0]) == (60, 100, 1) and notes.end_s == 0.75
    faster = read_notes(song(TEMPO_240 + ONE))
    assert faster.times_s.tolist() == [0.25]


def test_running_status_velocity_nothing_and_notes_that_are_never_let_go():
    track = b"\x00\x91\x30\x40" + b"\x60\x34\x50" + b"\x60\x30\x00"  # 0x30 ends by velocity 0; 0x34 sounds on
    notes = read_notes(song(track + b"\x60\xff\x01\x00"))
    assert notes.channels.tolist() == [2, 2] and notes.lengths_s.tolist() == [1.0, 1.0]


def test_notes_of_one_key_end_in_the_order_in_which_they_began():
    track = b"\x00\x90\x3c\x40" + b"\x60\x90\x3c\x41" + b"\x60\x80\x3c\x00" + b"\x60\x80\x3c\x00"
    notes = read_notes(song(track))
    assert notes.lengths_s.tolist() == [1.0, 1.0] and notes.velocities.tolist() == [64, 65]


@pytest.mark.parametrize(("rate", "fps"), [(24, 24.0), (25, 25.0), (29, 30_000 / 1001), (30, 30.0)])
def test_time_in_smpte_frames(rate, fps):
    division = ((256 - rate) << 8) | 40  # 40 ticks a frame; tempos do not count
    notes = read_notes(song(TEMPO_240 + b"\x81\x10\x90\x3c\x64" + b"\x28\x80\x3c\x00", division=division))
    assert notes.times_s[0] == pytest.approx(144 / 40 / fps) and notes.lengths_s[0] == pytest.approx(1 / fps)


def test_the_tempo_of_one_track_counts_for_all():
    conductor = TEMPO_240 + b"\x60\xff\x51\x03\x0f\x42\x40"  # after a beat of 0.25 s a second a beat
    notes = read_notes(song(conductor, b"\x81\x40\x90\x3c\x64" + b"\x60\x80\x3c\x00", kind=1))
    assert notes.times_s.tolist() == [1.25] and notes.lengths_s.tolist() == [1.0]


WHATS = ("note", "tempo", "control")
EVENTS = st.lists(
    st.tuples(st.integers(0, 2000), st.sampled_from(WHATS), st.integers(0, 127), st.integers(1, 127)),
    min_size=1,
    max_size=40,
)


@given(EVENTS, st.sampled_from([24, 96, 480, 960]))
def test_times_are_those_of_the_library_that_wrote_it(events, division):
    file = mido.MidiFile(type=1, ticks_per_beat=division)
    track = mido.MidiTrack()
    file.tracks += [track]
    for wait, what, number, value in events:
        if what == "tempo":
            track.append(mido.MetaMessage("set_tempo", tempo=20_000 + 7919 * value, time=wait))
        elif what == "control":
            track.append(mido.Message("control_change", control=number, value=value, time=wait))
        else:
            track.append(mido.Message("note_on", note=number, velocity=value, time=wait))
    out = io.BytesIO()
    file.save(file=out)
    notes, now, wanted, controls = read_notes(out.getvalue()), 0.0, [], []
    for message in mido.MidiFile(file=io.BytesIO(out.getvalue())):  # its own seconds
        now += message.time
        if message.type == "note_on":
            wanted.append((now, message.note, message.velocity))
        elif message.type == "control_change":
            controls.append((now, message.control, message.value))
    found = zip(notes.times_s.tolist(), notes.keys.tolist(), notes.velocities.tolist(), strict=True)
    assert [one[1:] for one in found] == [one[1:] for one in wanted]
    np.testing.assert_allclose(notes.times_s, [one[0] for one in wanted], atol=1e-9)
    assert sum(row.shape[1] for row in notes.controls.values()) == len(controls)
    for at, control, value in controls:
        row = notes.controls[1, control]
        assert np.abs(row[0] - at).min() < 1e-9 and value / 127 in row[1]


# --- as levels


PLAYED = song(  # two notes, then the wheel from 1 s to 1.5 s, and a bend from 1.5 s to 2 s
    b"\x00\x90\x3c\x7f" + b"\x30\x80\x3c\x00" + b"\x30\x91\x40\x40" + b"\x60\x81\x40\x00"  # 0 to 0.25 s, 0.5 to 1 s
    + b"\x00\xb0\x01\x40" + b"\x60\xb0\x01\x00" + b"\x00\xe0\x00\x60" + b"\x60\xe0\x00\x40"
)  # fmt: skip


@pytest.mark.parametrize(
    ("reading", "wanted"),
    [
        ("notes", {0: 1.0, 5: 64 / 127}),
        ("notes given=sustained", {0: 1, 1: 1, **dict.fromkeys(range(5, 10), 64 / 127)}),
        ("notes low=61", {5: 64 / 127}),
        ("notes high=63", {0: 1.0}),
        ("notes channel=2", {5: 64 / 127}),
        ("notes later_s=0.3", {3: 1.0, 8: 64 / 127}),
        ("notes later_s=-0.3", {2: 64 / 127}),
        ("notes given=pitch low=60 high=68", dict.fromkeys(range(5, 20), 0.5)),
        ("notes given=controller", dict.fromkeys(range(10, 15), 64 / 127)),
        ("notes given=controller control=2", {}),
        ("notes given=controller channel=2", {}),
    ],
)
def test_levels_by_hand(reading, wanted):
    level = read(PLAYED, reading, n_frames=20)
    np.testing.assert_allclose(level, [wanted.get(frame, 0.0) for frame in range(20)], atol=1e-9)


def test_of_notes_in_one_frame_the_hardest_counts_whichever_is_first():
    both = song(b"\x00\x90\x3c\x7f" + b"\x00\x90\x40\x20" + b"\x60\x90\x43\x20" + b"\x00\x90\x45\x7f")
    assert read(both, "notes", n_frames=8).tolist() == [1.0, 0, 0, 0, 0, 1.0, 0, 0]


def test_a_bend_is_half_way_where_it_rests():
    level = read(PLAYED, '"notes" given="pitch bend"'.replace('"notes"', "notes"), n_frames=25)
    np.testing.assert_allclose(level[:15], 0.5)
    np.testing.assert_allclose(level[15:20], 0.75)
    np.testing.assert_allclose(level[20:], 0.5)


def test_rows_are_named_and_each_is_its_note():
    rows = read(PLAYED, "note_rows low=60 high=64", n_frames=20)
    assert rows.shape == (5, 20) and rows[0, 0] == 1.0 and rows[4, 5] == 64 / 127 and np.count_nonzero(rows) == 2
    assert np.count_nonzero(read(PLAYED, "note_rows low=60 high=64 sustained=yes", n_frames=20)) == 3 + 5 - 1
    choice = ReadingChoice.parse("note_rows low=57 high=61")
    assert choice.spec.rows(choice.params) == ("A3", "A#3", "B3", "C4", "C#4")
    with pytest.raises(InvalidParameter, match="at least From note"):
        ReadingChoice.parse("note_rows low=61 high=60")


# --- what cannot be read


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"RIFF0000WAVE", "no MIDI file"),
        (song(ONE)[:-9], "cut off"),
        (song(ONE)[:10], "cut off"),
        (song(ONE, kind=2), "several songs"),
        (song(b"\x00\xff\x51\x03\x00\x00\x00" + ONE), "tempo of 0"),
        (song(ONE, division=0), "division is 0"),
        (b"MThd" + bytes(MOST_BYTES), "larger than 8 MB"),
        (song(b"\x00\x3c\x64"), "damaged"),
        (chunk(b"MThd", struct.pack(">HHH", 0, 1, 96)) + chunk(b"Junk", b"\0" * 9), "damaged|cut off"),
    ],
)
def test_what_cannot_be_read_is_said(content, words):
    with pytest.raises(UnreadableNotes, match=words):
        read_notes(content)


def test_too_many_events_are_refused(monkeypatch):
    monkeypatch.setattr("fern_tide.core.envelope.notes.MOST_EVENTS", 5)
    with pytest.raises(UnreadableNotes, match="more than 5 events"):
        read_notes(song(ONE * 9))


@given(st.binary(max_size=200))
def test_no_bytes_bring_it_down(body):
    for content in (b"MThd" + body, song(body), song(ONE) + body):
        with contextlib.suppress(UnreadableNotes):
            read_notes(content)


def test_tempos_and_bars_are_those_of_the_song():
    signature = b"\x00\xff\x58\x04\x06\x03\x18\x08"  # 6/8: three quarters a bar
    notes = read_notes(song(signature + TEMPO_240 + b"\x60\xff\x51\x03\x0f\x42\x40" + ONE))
    assert notes.tempos.tolist() == [[0.0, 0.25], [240.0, 60.0]] and notes.per_bar == 3
    assert read_notes(song(b"\x00\xff\x58\x04\x05\x03\x18\x08" + ONE)).per_bar == 0, "5/8 are no whole quarters"
    assert read_notes(song(ONE)).per_bar == 0

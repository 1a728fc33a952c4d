"""Markers and hits as CSV and WebVTT."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fern_tide.core.formats.moments import MOST_BYTES, Moment, UnreadableMoments, read_moments, write_csv, write_vtt

MOMENTS = [Moment(0.0, "Start"), Moment(4.02, "Lamp comes on", "#d9a431"), Moment(3_725.5, "=Rain & <stops>")]
NAMES = st.text(st.characters(codec="utf-8", exclude_categories=["C", "Z"]), min_size=1, max_size=20)


def test_csv_has_a_row_a_moment_and_tames_formulas():
    assert write_csv(MOMENTS).splitlines() == [
        "time_s,name,colour",
        "0.0,Start,",
        "4.02,Lamp comes on,#d9a431",
        "3725.5,'=Rain & <stops>,",
    ]


def test_webvtt_has_a_cue_a_moment():
    text = write_vtt(MOMENTS)
    assert text.startswith("WEBVTT\n\n00:00:00.000 --> 00:00:01.000\nStart\n")
    assert "01:02:05.500 --> 01:02:06.500\n=Rain &amp; &lt;stops&gt;" in text


@given(st.lists(st.tuples(st.integers(0, 9_000_000), NAMES), min_size=1, max_size=20, unique_by=lambda pair: pair[0]))
def test_both_come_back_as_they_went(pairs):
    moments = [Moment(ms / 1000, name) for ms, name in sorted(pairs)]
    from_csv = read_moments(write_csv(moments).encode())
    assert [item.time_s for item in from_csv] == [item.time_s for item in moments]
    from_vtt = read_moments(write_vtt(moments).encode())
    assert [round(item.time_s, 3) for item in from_vtt] == [item.time_s for item in moments]
    if not any("-->" in name or "<" in name or "&" in name for _, name in pairs):
        assert [item.name for item in from_vtt] == [item.name for item in moments]


def test_webvtt_of_others_with_notes_settings_and_tags_is_read():
    lines = [
        "WEBVTT - made elsewhere",
        "",
        "NOTE a remark",
        "",
        "1",
        "01:02.500 --> 01:04.000 line:0",
        "<v Ann>Hello</v>",
    ]
    text = "\r\n".join([*lines, ""])
    assert read_moments(text.encode()) == [Moment(62.5, "Hello")]


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "no times"),
        (b"\xff\xfe", "no text"),
        (b"name\nx\n", "no column time_s"),
        (b"time_s,name\nsoon,x\n", "Line 2 has soon"),
        (b"time_s\n-3\n", "Line 2 has -3"),
        (b"time_s\nnan\n", "Line 2 has nan"),
        (b"WEBVTT\n\nsoon --> later\nx\n", "is no time"),
        (b"WEBVTT\n", "no times"),
        (b"time_s\n" + b"1\n" * 5_001, "more than 5000"),
        (b"x" * (MOST_BYTES + 1), "larger than 4 MB"),
    ],
)
def test_a_wrong_list_is_refused_with_words(content, words):
    with pytest.raises(UnreadableMoments, match=words):
        read_moments(content)

"""Banks, notes, noisiness, blends and imported curves read what they say."""

import re

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import Held, read, sine, wav

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.envelope.bands import NAMED_BANDS, suggest_bands
from fern_tide.core.envelope.clean_up.equalise import equalise_rows
from fern_tide.core.envelope.clean_up.tilt import TiltParams, tilt
from fern_tide.core.envelope.envelope import Envelope, ReadingChoice, read_raw, row_of
from fern_tide.core.envelope.points import MOST_BYTES, UnreadableCurve, read_points
from fern_tide.core.envelope.readings.bank import BankParams, cuts_hz
from fern_tide.core.sound.spectrum import column_edges_hz, summed_power

RATE = FrameRate.parse("30")
NOISE = np.random.default_rng(4).normal(size=48_000 * 2) * 0.1


def middle(level: np.ndarray) -> np.ndarray:
    return level[..., 10:-10].mean(axis=-1)


@pytest.mark.parametrize("spacing", ["octave", "mel", "linear"])
def test_a_tone_is_loud_in_its_own_band_of_a_bank_and_reads_its_rms(spacing):
    text = f"bank bands=8 low_hz=200 high_hz=10000 spacing={spacing} equalise=none"
    params = ReadingChoice.parse(text).params
    cuts = cuts_hz(params)
    for band in (1, 4, 6):
        hz = float(np.sqrt(cuts[band] * cuts[band + 1]))
        level = middle(read(wav(sine(hz)), text))
        assert level.shape == (8,)
        assert level.argmax() == band
        assert level[band] == pytest.approx(0.5 / np.sqrt(2), rel=0.02)


def test_bands_of_a_bank_meet_and_span_the_range():
    for spacing in ("octave", "mel", "linear"):
        cuts = cuts_hz(BankParams(bands=10, low_hz=50, high_hz=8_000, spacing=spacing))
        assert cuts.shape == (11,) and (np.diff(cuts) > 0).all()
        np.testing.assert_allclose(cuts[[0, -1]], [50, 8_000], rtol=1e-9)
    np.testing.assert_allclose(np.diff(cuts_hz(BankParams(bands=4, spacing="linear"))), 2_990, rtol=1e-9)


def test_a_bank_has_named_rows_and_a_mapping_follows_one():
    envelope = Envelope(id="b", name="B", track="t", reading=ReadingChoice.parse("bank bands=3 low_hz=100 high_hz=800"))
    assert envelope.rows == ("100-200 Hz", "200-400 Hz", "400-800 Hz")
    bank = np.arange(6.0).reshape(3, 2)
    assert row_of(bank, 1).tolist() == [2.0, 3.0]
    assert row_of(bank, 9).tolist() == [4.0, 5.0]
    assert row_of(bank[0], 5).tolist() == [0.0, 1.0]


def test_equalising_each_band_or_all_of_them():
    bank = np.array([[0.1, 0.2], [0.4, 0.8], [0.0, 0.0]])
    each = equalise_rows(bank, percentile=100)
    assert each.tolist() == [[0.5, 1.0], [0.5, 1.0], [0.0, 0.0]]
    together = equalise_rows(bank, percentile=100, together=True)
    np.testing.assert_allclose(together, bank / 0.8)


def test_tilt_raises_the_highest_row_and_lowers_the_lowest():
    out = tilt(np.ones((3, 4)), params=TiltParams(ends_db=12), rate=RATE)
    np.testing.assert_allclose(out[:, 0], [10 ** (-6 / 20), 1.0, 10 ** (6 / 20)])
    assert tilt(np.ones(4), params=TiltParams(), rate=RATE).tolist() == [1.0] * 4


@pytest.mark.parametrize(("hz", "note"), [(440.0, 9), (261.63, 0), (1_479.98, 6), (3_951.07, 11)])
def test_a_note_is_loudest_in_its_own_pitch_class(hz, note):
    level = middle(read(wav(sine(hz)), "pitch_classes"))
    assert level.shape == (12,)
    assert level.argmax() == note
    assert level[note] == pytest.approx(0.5 / np.sqrt(2), rel=0.05 if hz > 300 else 0.25)
    others = np.delete(level, note).max() / level[note]
    assert others < (0.25 if hz > 300 else 0.7)  # a window of 93 ms blurs the notes below


def test_one_pitch_class_is_a_single_level():
    level = read(wav(sine(440)), "pitch_classes note=A")
    assert level.ndim == 1
    assert middle(level) == pytest.approx(0.5 / np.sqrt(2), rel=0.05)
    assert Envelope(id="a", name="A", track="t", reading=ReadingChoice.parse("pitch_classes note=A")).rows == ()


def test_noise_is_noisy_a_tone_is_not_and_silence_is_neither():
    noise, tone, silence = (middle(read(wav(x), "noisiness")) for x in (NOISE, sine(1_000), np.zeros(96_000)))
    assert noise > 0.7
    assert tone < 0.01
    assert silence == 0.0


def blended(how: str, levels: dict[str, np.ndarray]) -> list[float]:
    names = " ".join(f"{place}={name}" for place, name in zip(("first", "second", "third"), levels, strict=False))
    source = Held(None, {}, rate=RATE, n_frames=3, levels=levels)
    return read_raw(ReadingChoice.parse(f"blend how={how} {names}"), source).tolist()


LEVELS = {"a": np.array([0.5, 0.2, 0.0]), "b": np.array([0.1, 0.4, 0.0])}


@pytest.mark.parametrize(
    ("how", "wanted"),
    [
        ("sum", [0.6, 0.6, 0.0]),
        ("mean", [0.3, 0.3, 0.0]),
        ("max", [0.5, 0.4, 0.0]),
        ("min", [0.1, 0.2, 0.0]),
        ("difference", [0.4, 0.0, 0.0]),
        ("product", [0.05, 0.08, 0.0]),
    ],
)
def test_blends_of_two_hand_made_levels(how, wanted):
    assert blended(how, LEVELS) == pytest.approx(wanted)


def test_a_blend_of_nothing_is_silent_and_of_a_bank_takes_the_loudest_row():
    assert blended("max", {}) == [0.0, 0.0, 0.0]
    assert blended("max", {"a": np.array([[0.1, 0.2, 0.3], [0.3, 0.1, 0.1]])}) == [0.3, 0.2, 0.3]


def curve(text: str, points, n_frames: int = 4, rate: str = "2") -> list[float]:
    source = Held(None, {}, rate=FrameRate.parse(rate), n_frames=n_frames, points=np.array(points, dtype=float))
    return read_raw(ReadingChoice.parse(f"curve media={'a' * 64} {text}"), source).tolist()


def test_an_imported_curve_is_read_at_the_beginning_of_every_frame():
    points = [[0.0, 1.0, 1.5], [2.0, 4.0, 0.0]]
    assert curve("scaled=as_it_is", points) == [2.0, 3.0, 4.0, 0.0]
    assert curve("scaled=to_one", points) == [0.5, 0.75, 1.0, 0.0]
    assert curve("scaled=as_it_is later_s=0.5", points) == [2.0, 2.0, 3.0, 4.0]


def test_a_curve_without_a_file_is_silent():
    source = Held(None, {}, rate=RATE, n_frames=3)
    assert read_raw(ReadingChoice.parse("curve"), source).tolist() == [0.0] * 3


@pytest.mark.parametrize(
    "text",
    [
        "time_s,value\n0,1\n2,3\n",
        "frame,time_s,level\n0,0,1\n60,2,3\n",
        "2;3\n0;1\n",
        '{"times": [0, 2], "values": [1, 3]}',
        "[[0, 1], [2, 3]]",
        '[{"time_s": 0, "value": 1}, {"t": 2, "v": 3}]',
        "\ufefft\tv\n0\t1\n2\t3\n",
    ],
)
def test_curves_are_read_from_csv_and_json(text):
    assert read_points(text.encode()).tolist() == [[0.0, 2.0], [1.0, 3.0]]


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "no points"),
        (b"\xff\xfe\x00", "no text"),
        (b"only one column\n1\n2\n", "no two columns"),
        (b"time_s,value\n0,nan\n", "nan, which is no number"),
        (b"time_s,value\n0,1\n5\n", "Line 3 of the curve is too short"),
        (b"time_s,value\n0,lots\n", "lots, which is no number"),
        (b'{"times": [1], "values": []}', "of one length"),
        (b"[" * 100_000, "cannot be read"),
        (b"[[1, 2, 3]]", "no pair"),
        (b"[[1, true]]", "True, which is no number"),
        (b'{"a": 1}', "of one length"),
    ],
)
def test_a_wrong_curve_is_refused_with_words(content, words):
    with pytest.raises(UnreadableCurve, match=words):
        read_points(content)


def test_a_curve_that_is_too_large_is_refused():
    with pytest.raises(UnreadableCurve, match="larger than 64 MB"):
        read_points(b"1" * (MOST_BYTES + 1))


@given(st.lists(st.tuples(st.floats(-1e6, 1e6), st.floats(-1e6, 1e6)), min_size=1, max_size=30))
def test_what_is_written_as_csv_is_read_as_it_was(pairs):
    text = "time_s,value\n" + "".join(f"{time!r},{value!r}\n" for time, value in pairs)
    points = read_points(text.encode())
    assert sorted(pairs, key=lambda pair: pair[0])[0][0] == points[0, 0]
    assert sorted(map(tuple, points.T.tolist())) == sorted(pairs)


def spectrum_of(sound: np.ndarray, rate_hz: int = 48_000):
    n_window, hop = 2_048, rate_hz // 60
    padded = np.pad(sound, n_window).astype(np.float32)[None]
    middles = np.arange(n_window, n_window + len(sound), hop)
    edges = column_edges_hz(n_window, sample_rate_hz=rate_hz)
    return summed_power(padded, middles, n_window=n_window), edges


def test_suggested_bands_part_what_moves_by_itself():
    rng, rate = np.random.default_rng(6), 48_000
    t = np.arange(rate * 8) / rate
    low = np.sin(2 * np.pi * 60 * t) * (np.sin(2 * np.pi * 1.1 * t) > 0.6)
    pad = sum(np.sin(2 * np.pi * hz * t) for hz in (300, 380, 520, 700)) * 0.2 * (1 + np.sin(2 * np.pi * 0.23 * t))
    ticks = rng.normal(size=t.size) * (np.sin(2 * np.pi * 2.7 * t) > 0.9)
    high = np.diff(ticks, prepend=0.0) * 0.3
    bands = suggest_bands(*spectrum_of((low + pad + high) * 0.2))
    assert 3 <= len(bands) <= 5
    assert all(band.low_hz < band.high_hz for band in bands)
    assert len({band.name for band in bands}) == len(bands)
    for hz in (60, 450, 9_000):
        assert any(band.low_hz <= hz <= band.high_hz for band in bands), hz
    holding = [next(band for band in bands if band.low_hz <= hz <= band.high_hz) for hz in (60, 450, 9_000)]
    assert len({band.low_hz for band in holding}) == 3  # each of the three in a band of its own


def test_silence_suggests_no_bands():
    assert suggest_bands(*spectrum_of(np.zeros(48_000))) == ()


def test_named_bands_rise_and_say_what_else_is_in_them():
    assert [band.low_hz for band in NAMED_BANDS] == sorted(band.low_hz for band in NAMED_BANDS)
    assert all(band.low_hz < band.high_hz for band in NAMED_BANDS)
    assert all(len(re.split("[;,]", band.help)) > 1 for band in NAMED_BANDS)


def test_a_reading_of_a_track_needs_one_and_a_blend_does_not():
    assert Envelope(id="x", name="X", reading=ReadingChoice(id="blend")).track is None
    with pytest.raises(InvalidParameter, match="track is none"):
        Envelope(id="x", name="X", reading=ReadingChoice(id="band"))

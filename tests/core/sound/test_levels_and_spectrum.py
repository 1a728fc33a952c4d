"""Levels and bands read what SIGNAL.md says they read."""

import io
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.signal import sosfilt
from tests.conftest import read, sine, wav

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.sound.channels import Channel, pick
from fern_tide.core.sound.decode import SoundInfo, measure
from fern_tide.core.sound.features import LevelsFeature, SpectrumFeature, WaveformFeature, analyze
from fern_tide.core.sound.grid import FrameGrid
from fern_tide.core.sound.levels import Detector, levels
from fern_tide.core.sound.running import SILENCE_LUFS, Loudness, k_weighting
from fern_tide.core.sound.spectrum import Window, column_edges_hz, resolve, transform_for, window_samples

RATES = ["24000/1001", "25", "30000/1001", "30", "60"]


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize("detector", ["peak", "rms"])
@pytest.mark.parametrize("at_s", [1, 59 * 60])
def test_a_click_shows_in_the_frame_that_owns_its_sample_and_in_no_other(monkeypatch, rate, detector, at_s):
    sample_rate_hz, frame_rate = 8_000, FrameRate.parse(rate)
    click = at_s * sample_rate_hz + 123
    n = click + 4_000

    def silence_with_a_click(stream):
        for start in range(0, n, 65_536):
            block = np.zeros((1, min(65_536, n - start)), dtype=np.float32)
            if start <= click < start + block.shape[1]:
                block[0, click - start] = 0.5
            yield block

    monkeypatch.setattr("fern_tide.core.sound.features.blocks", silence_with_a_click)
    info = SoundInfo(format="WAV", encoding="FLOAT", channels=1, sample_rate_hz=sample_rate_hz, n_samples=n)
    feature = LevelsFeature(channel=Channel.MID, detector=Detector(detector))
    grid = FrameGrid(frame_rate, sample_rate_hz, n)
    level = analyze(io.BytesIO(), info, grid=grid, features=[feature])[feature]
    owner = click * frame_rate.fps.numerator // (sample_rate_hz * frame_rate.fps.denominator)
    assert np.flatnonzero(level).tolist() == [owner]
    assert level.size == grid.n_frames


def test_a_click_in_a_real_file_at_23_976_shows_in_its_frame():
    x = np.zeros(48_000 * 3)
    x[48_048] = 1.0  # the first sample of frame 24
    assert np.flatnonzero(read(wav(x), "amplitude detector=peak", "24000/1001")).tolist() == [24]
    x = np.roll(x, -1)
    assert np.flatnonzero(read(wav(x), "amplitude detector=peak", "24000/1001")).tolist() == [23]


@pytest.mark.parametrize("sample_rate_hz", [44_100, 48_000, 96_000])
@pytest.mark.parametrize(("hz", "band"), [(60, (20, 160)), (440, (250, 800)), (5_000, (3_000, 9_000))])
@pytest.mark.parametrize("window", ["auto", "fine"])
def test_a_sine_in_a_band_reads_its_amplitude_over_root_two(sample_rate_hz, hz, band, window):
    content = wav(sine(hz, amplitude=0.37, rate_hz=sample_rate_hz), rate_hz=sample_rate_hz)
    level = read(content, f"band low_hz={band[0]} high_hz={band[1]} window={window}")
    inner = level[6:-6]
    np.testing.assert_allclose(inner, 0.37 / np.sqrt(2), rtol=0.01)


@pytest.mark.parametrize("window", ["tight", "balanced", "fine"])
def test_the_whole_spectrum_reads_the_same_whatever_the_window(window):
    level = read(wav(sine(1_234.5, amplitude=0.8)), f"band low_hz=0 high_hz=24000 window={window}")
    np.testing.assert_allclose(level[6:-6], 0.8 / np.sqrt(2), rtol=0.005)


def test_a_sine_outside_a_band_reads_next_to_nothing():
    level = read(wav(sine(400, amplitude=0.9)), "band low_hz=3000 high_hz=8000")
    assert level[6:-6].max() < 0.9e-3


def test_a_quiet_high_band_under_a_loud_low_one_is_read_right():
    x = sine(80, amplitude=0.9) + sine(9_000, amplitude=0.9e-4)
    level = read(wav(x), "band low_hz=7000 high_hz=12000 window=fine")
    np.testing.assert_allclose(level[6:-6], 0.9e-4 / np.sqrt(2), rtol=0.02)


def test_two_halves_of_a_band_add_up_to_its_power():
    content = wav(np.random.default_rng(3).normal(size=96_000) * 0.1)
    whole, low, high = (
        read(content, f"band window=fine low_hz={a} high_hz={b}") for a, b in ((100, 4000), (100, 777), (777, 4000))
    )
    np.testing.assert_allclose(whole**2, low**2 + high**2, rtol=1e-5)


def test_auto_takes_the_shortest_window_that_resolves_the_band():
    chosen = [
        resolve(Window.AUTO, low_hz=low, high_hz=high, sample_rate_hz=44_100)
        for low, high in ((3000, 11000), (200, 500), (40, 180))
    ]
    assert chosen == [Window.TIGHT, Window.BALANCED, Window.FINE]
    assert [window_samples(w, sample_rate_hz=44_100) for w in (Window.TIGHT, Window.BALANCED, Window.FINE)] == [
        1024,
        2048,
        4096,
    ]


def test_column_edges_rise_from_zero_to_nyquist():
    edges = column_edges_hz(2048, sample_rate_hz=44_100)
    assert edges[0] == 0 and edges[-1] == 22_050
    assert (np.diff(edges) > 0).all()
    assert len(edges) < 280


def test_detectors_of_a_hand_made_frame():
    x = np.array([[0.5, -1.0, 0.25, 0.25]], dtype=np.float32)
    whole = (np.array([0]), np.array([4]))
    assert levels(x, *whole, detector=Detector.PEAK)[0, 0] == 1.0
    assert levels(x, *whole, detector=Detector.AVERAGE)[0, 0] == 0.5
    assert levels(x, *whole, detector=Detector.MEDIAN)[0, 0] == 0.375
    assert levels(x, *whole, detector=Detector.MINIMUM)[0, 0] == np.abs(x).min()
    assert levels(x + 1, np.array([0]), np.array([9]), detector=Detector.MINIMUM)[0, 0] == (np.abs(x + 1)).min()
    assert levels(x, *whole, detector=Detector.RMS)[0, 0] == pytest.approx(np.sqrt(1.375 / 4))


@given(st.integers(-20, 60), st.integers(0, 30))
def test_a_window_that_reaches_outside_the_sound_reads_only_what_is_there(start, size):
    x = np.linspace(-1, 1, 40, dtype=np.float32)[np.newaxis]
    inside = x[0, max(0, start) : max(0, start + size)]
    read_peak = levels(x, np.array([start]), np.array([start + size]), detector=Detector.PEAK)[0, 0]
    assert read_peak == pytest.approx(np.abs(inside).max(initial=0.0))


def test_channels_of_a_hand_made_block():
    block = np.array([[1.0, 0.5], [0.0, -0.5]], dtype=np.float32)
    assert pick(block, channel=Channel.MID).tolist() == [[0.5, 0.0]]
    assert pick(block, channel=Channel.SIDE).tolist() == [[0.5, 0.5]]
    assert pick(block, channel=Channel.RIGHT).tolist() == [[0.0, -0.5]]
    assert pick(block, channel=Channel.LOUDEST).shape == (2, 2)
    assert pick(block[:1], channel=Channel.SIDE).tolist() == [[0.0, 0.0]]
    six = np.arange(12, dtype=np.float32).reshape(6, 2)
    assert pick(six, channel=Channel.SIXTH).tolist() == [[10.0, 11.0]]
    assert pick(six, channel=Channel.SEVENTH).tolist() == [[0.0, 0.0]]


def test_one_channel_of_a_surround_sound_is_read_alone():
    sound = np.zeros((6, 48_000))
    sound[3] = sine(60, seconds=1.0)
    level = read(wav(sound), "band low_hz=20 high_hz=160 channel=4")
    assert level[10:-10].mean() == pytest.approx(0.5 / np.sqrt(2), rel=0.01)
    assert not read(wav(sound), "amplitude channel=3").any()


def test_the_loudest_channel_is_chosen_frame_by_frame():
    left, right = np.zeros(9_600), np.zeros(9_600)
    left[:4_800], right[4_800:] = 0.25, 0.5
    level = read(wav(np.stack([left, right])), "amplitude channel=loudest detector=peak", "10")
    assert level.tolist() == [0.25, 0.5]


def test_opposite_channels_cancel_in_the_middle_but_not_at_the_side():
    x = sine(300, amplitude=0.5)
    content = wav(np.stack([x, -x]))
    assert read(content, "amplitude channel=mid detector=peak").max() == 0
    assert read(content, "amplitude channel=side detector=peak").max() == pytest.approx(0.5, rel=1e-3)


def test_silence_reads_zero_everywhere():
    for reading in ("amplitude", "amplitude detector=median", "band low_hz=40 high_hz=180"):
        assert read(wav(np.zeros(20_000)), reading).max() == 0.0


def test_a_window_in_ms_is_centred_on_the_frame():
    x = np.zeros(48_000)
    x[24_000 + 800] = 1.0  # the middle of frame 15 at 30 fps
    level = read(wav(x), "amplitude detector=peak window_ms=100")
    assert np.flatnonzero(level).tolist() == [14, 15, 16]


def test_an_offset_moves_frames_by_whole_samples():
    x = np.zeros(48_000)
    x[0] = 1.0
    info = measure(io.BytesIO(wav(x)))
    feature = LevelsFeature(channel=Channel.MID, detector=Detector.PEAK)
    for offset, frame in ((1_599, 0), (1_600, 1), (16_000, 10)):
        grid = FrameGrid(FrameRate.parse("30"), 48_000, 48_000, offset)
        level = analyze(io.BytesIO(wav(x)), info, grid=grid, features=[feature])[feature]
        assert np.flatnonzero(level).tolist() == [frame]
        assert grid.n_frames == -(-(48_000 + offset) * 30 // 48_000)


def test_reading_several_features_in_one_pass_is_the_same_as_one_by_one():
    content = wav(np.random.default_rng(2).normal(size=(2, 150_001)) * 0.2, rate_hz=44_100)
    info = measure(io.BytesIO(content))
    grid = FrameGrid(FrameRate.parse("24000/1001"), 44_100, info.n_samples, 777)
    features = [
        WaveformFeature(),
        LevelsFeature(channel=Channel.LEFT, detector=Detector.RMS, window_ms=250.0),
        LevelsFeature(channel=Channel.LOUDEST, detector=Detector.MEDIAN),
        SpectrumFeature(channel=Channel.SIDE, window=Window.FINE),
        SpectrumFeature(channel=Channel.LOUDEST, window=Window.TIGHT),
    ]
    together = analyze(io.BytesIO(content), info, grid=grid, features=features)
    for feature in features:
        alone = analyze(io.BytesIO(content), info, grid=grid, features=[feature])[feature]
        np.testing.assert_array_equal(alone, together[feature])


def test_the_waveform_keeps_every_extreme():
    x = np.zeros(1_000)
    x[300], x[999] = 0.75, -0.5
    info = measure(io.BytesIO(wav(x)))
    grid = FrameGrid(FrameRate.parse("30"), 48_000, 1_000)
    spans = analyze(io.BytesIO(wav(x)), info, grid=grid, features=[WaveformFeature()])[WaveformFeature()]
    assert spans.tolist() == [[0, 0, 0, -0.5], [0, 0.75, 0, 0]]


@pytest.mark.parametrize("sample_rate_hz", [44_100, 48_000, 96_000])
@pytest.mark.parametrize(("dbfs", "channels", "lufs"), [(-23.0, 2, -23.0), (-33.0, 2, -33.0), (-20.0, 1, -23.01)])
def test_a_tone_of_997_hz_reads_the_loudness_that_bs1770_gives_it(sample_rate_hz, dbfs, channels, lufs):
    tone = sine(997, amplitude=10 ** (dbfs / 20), seconds=8, rate_hz=sample_rate_hz)
    content = wav(np.stack([tone] * channels), rate_hz=sample_rate_hz)
    for window, edge in (("momentary", 10), ("short_term", 55)):
        level = read(content, f"loudness window={window}")
        np.testing.assert_allclose(20 * np.log10(level[edge:-edge]), lufs, atol=0.1)


def test_loudness_forgives_the_low_and_counts_the_high():
    low, middle, high = (read(wav(sine(hz, amplitude=0.2, seconds=3)), "loudness")[45] for hz in (30, 1_000, 8_000))
    assert 20 * np.log10(low / middle) < -5
    assert 2.5 < 20 * np.log10(high / middle) < 4.5


def test_silence_between_two_tones_has_no_loudness():
    x = np.concatenate([sine(997, seconds=2), np.zeros(96_000), sine(997, seconds=2)])
    level = read(wav(x), "loudness")
    assert level[90] == 0
    assert level[30] == pytest.approx(level[150], rel=1e-3)


@pytest.mark.parametrize("hz", [200.0, 1_000.0, 6_000.0])
def test_the_brightness_of_a_tone_is_its_own_frequency(hz):
    level = read(wav(sine(hz)), "brightness")
    np.testing.assert_allclose(20 * 2 ** (10 * level[6:-6]), hz, rtol=0.03)


def test_brightness_rises_with_the_highs_and_silence_has_none():
    dull = sine(300)
    bright = dull + sine(7_000)
    assert read(wav(bright), "brightness")[30] > read(wav(dull), "brightness")[30] + 0.2
    assert read(wav(np.zeros(20_000)), "brightness").max() == 0


@given(cuts=st.lists(st.integers(1, 23_999), max_size=8, unique=True), offset=st.integers(-30_000, 30_000))
def test_loudness_is_the_same_in_whatever_blocks_the_sound_comes(cuts, offset):
    sound = (np.random.default_rng(4).normal(size=(5, 24_000)) * 0.1).astype(np.float32)
    grid = FrameGrid(FrameRate.parse("30000/1001"), 48_000, 24_000, offset)
    starts, ends = grid.bounds(0, grid.n_frames, window_ms=400.0)
    whole, pieces = np.zeros((2, grid.n_frames), dtype=np.float32)
    for out, edges in ((whole, [0, 24_000]), (pieces, [0, *sorted(cuts), 24_000])):
        loudness = Loudness(out, starts=starts, ends=ends, sample_rate_hz=48_000)
        for begin, end in pairwise(edges):
            loudness.add(sound[:, begin:end])
        loudness.finish()
    np.testing.assert_allclose(pieces, whole, rtol=1e-5, atol=1e-9)
    weighted = sosfilt(k_weighting(48_000), sound.astype(np.float64)) ** 2 * np.array([[1], [1], [1], [1.41], [1.41]])
    for frame in range(0, grid.n_frames, 5):
        low, high = max(int(starts[frame]), 0), max(int(ends[frame]), 0)
        power = weighted[:, low:high].sum() / (ends[frame] - starts[frame])
        assert whole[frame] == pytest.approx(np.sqrt(power) * 10 ** (SILENCE_LUFS / 20), rel=1e-4, abs=1e-6)


def test_both_transforms_give_the_same_spectra_to_rounding():
    short, long = transform_for(2 * 60 * 44_100 - 1), transform_for(2 * 60 * 44_100)
    assert short is np.fft.rfft and long is not short
    noise = np.random.default_rng(2).normal(size=(3, 2_048)).astype(np.float32)
    assert short(noise).dtype == long(noise).dtype == np.complex64
    np.testing.assert_allclose(short(noise), long(noise), atol=2e-6 * np.abs(long(noise)).max())

"""Spectrograms, band-passed sound, and figures of a whole sound."""

import io
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import sine, wav

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.sound.band_features import spectrum_of_band
from fern_tide.core.sound.band_pass import band_passed
from fern_tide.core.sound.band_reading import column_power
from fern_tide.core.sound.decimated import decimation
from fern_tide.core.sound.decode import measure
from fern_tide.core.sound.features import LevelsFeature, SpectrumFeature, analyze
from fern_tide.core.sound.grid import FrameGrid
from fern_tide.core.sound.mix import MixTrack, mix_blocks
from fern_tide.core.sound.spectrogram import ROWS, average, picture, row_edges_hz, shown, tilt_steps
from fern_tide.core.sound.spectrum import PART_HZ, Part, Window, window_samples
from fern_tide.core.sound.whole import FiguresReader


def drawn(sound: np.ndarray, rate_hz: int = 48_000) -> np.ndarray:
    content = wav(sound, rate_hz=rate_hz)
    info = measure(io.BytesIO(content))
    grid = FrameGrid(FrameRate.parse("30"), rate_hz, info.n_samples)
    both = [
        SpectrumFeature(channel="mid", window="balanced"),
        SpectrumFeature(channel="mid", window="fine", part="lows"),
    ]
    found = analyze(io.BytesIO(content), info, grid=grid, features=both)
    return picture(*((found[feature], feature.edges_hz(rate_hz)) for feature in both))


def test_the_highest_column_of_a_slow_sound_is_in_the_picture():
    edges = np.linspace(0.0, 4_000.0, 129)
    spectrum = np.zeros((1, 128, 3), dtype=np.float32)
    spectrum[0, -1] = 0.5
    image = picture((spectrum, edges), (spectrum, edges))
    top = int(np.searchsorted(row_edges_hz(), 4_000.0)) - 1
    assert np.flatnonzero(image[:, 1]).tolist() == [top]
    assert image[top, 1] / 255 * 100 - 100 == pytest.approx(-3.9, abs=0.2)  # of -3 dB, less what its window leaks


@pytest.mark.parametrize("hz", [100.0, 1_000.0, 6_000.0])
def test_a_tone_is_a_line_at_its_pitch_and_level(hz):
    image = drawn(sine(hz))
    assert image.shape == (ROWS, 60)
    row = int(image[:, 30].argmax())
    edges = row_edges_hz()
    assert abs(np.searchsorted(edges, hz) - 1 - row) <= 1
    db = image[row, 30] / 255 * 100 - 100
    assert -16 < db < -8  # -9 dB, some of it in neighbouring rows


def test_silence_is_an_empty_picture_with_an_empty_average():
    image = drawn(np.zeros(48_000))
    assert not image.any()
    assert not average(image).any()


def test_a_stretch_shows_the_loudest_of_the_frames_that_share_a_column():
    image = np.zeros((ROWS, 8), dtype=np.uint8)
    image[3] = [0, 9, 1, 2, 7, 0, 0, 5]
    assert shown(image, first=0, last=8, columns=4)[3].tolist() == [9, 2, 7, 5]
    assert shown(image, first=1, last=3, columns=4)[3].tolist() == [9, 9, 1, 1]
    assert shown(image, first=-2, last=10, columns=6)[3].tolist() == [0, 9, 2, 7, 5, 0]
    assert not shown(image, first=50, last=60, columns=3).any()


@given(first=st.floats(-20, 40), span=st.floats(0.5, 60), columns=st.integers(1, 50))
def test_any_stretch_has_its_shape_and_no_level_that_is_not_there(first, span, columns):
    image = np.random.default_rng(0).integers(0, 255, size=(ROWS, 20), dtype=np.uint8)
    out = shown(image, first=first, last=first + span, columns=columns)
    assert out.shape == (ROWS, columns)
    assert set(out[5].tolist()) <= set(image[5].tolist()) | {0}


def test_tilt_raises_the_highs_about_1_khz():
    steps = tilt_steps(3.0)
    middles = np.sqrt(row_edges_hz()[:-1] * row_edges_hz()[1:])
    at = int(np.abs(middles - 2_000).argmin())
    assert steps[at] == pytest.approx(3.0 * 2.55, rel=0.15)
    assert not tilt_steps(0.0).any()


@pytest.mark.parametrize("rate_hz", [8_000, 11_025, 32_000, 44_100, 48_000, 96_000, 192_000])
@pytest.mark.parametrize("part", [Part.LOWS, Part.NOTES])
def test_a_part_of_a_fine_spectrum_holds_the_bands_of_the_whole(part, rate_hz):
    sound = np.random.default_rng(1).normal(size=rate_hz) * 1e-3
    if rate_hz > 3 * PART_HZ[part]:  # 60 dB above, and it must not fold back
        sound += 0.8 * np.sin(2 * np.pi * 0.45 * np.arange(rate_hz))
    info = measure(io.BytesIO(content := wav(sound, rate_hz=rate_hz)))
    grid = FrameGrid(FrameRate.parse("24000/1001"), rate_hz, info.n_samples)
    few, other = SpectrumFeature(channel="mid", window="fine", part=part), LevelsFeature(channel="mid", detector="rms")
    found = analyze(io.BytesIO(content), info, grid=grid, features=[few, other])
    edges, n = few.edges_hz(rate_hz), window_samples(Window.FINE, sample_rate_hz=rate_hz)
    assert edges[-1] >= min(PART_HZ[part], rate_hz / 2)
    hann = np.hanning(n + 1)[:-1]
    for frame in range(6, 18):
        begin = int(grid.middles(frame, frame + 1)[0]) - n // 2
        power = 2 * np.abs(np.fft.rfft(sound[begin : begin + n] * hann)) ** 2 / (n * np.sum(hann**2))
        bins = np.ceil(edges * n / rate_hz - 1e-6).astype(int)
        bands = [power[low:high].sum() for low, high in pairwise(bins)]
        read = column_power(found[few][..., frame : frame + 1], 0, len(edges) - 1)[0, :, 0]
        np.testing.assert_allclose(np.sqrt(read[1:-1]), np.sqrt(bands[1:-1]), rtol=1e-3, atol=2e-6)
    alone = analyze(io.BytesIO(content), info, grid=grid, features=[few])  # the same whatever else is read with it
    np.testing.assert_array_equal(alone[few], found[few])


def test_a_low_band_is_read_from_the_lows():
    assert spectrum_of_band("mid", Window.AUTO, low_hz=40, high_hz=180, sample_rate_hz=48_000).part is Part.LOWS
    assert spectrum_of_band("mid", Window.FINE, low_hz=40, high_hz=3_000, sample_rate_hz=48_000).part is Part.WHOLE


def test_samples_are_left_out_only_where_the_sound_is_there():
    by = decimation(4_500.0, sample_rate_hz=48_000)
    x = np.sin(2 * np.pi * 1_000 * np.arange(4_000) / 48_000)[None].astype(np.float32)
    np.testing.assert_allclose(by(x, first=400, count=790)[0], x[0, 400:3560:4], atol=2e-6)
    with pytest.raises(ValueError, match="outside"):
        by(x, first=400, count=900)
    with pytest.raises(ValueError, match="outside"):
        by(x, first=by.before - 1, count=1)


def passed(hz: float, low_hz: float, high_hz: float) -> float:
    sound = np.stack([sine(hz), sine(hz)]).astype(np.float32)
    pieces = (sound[:, at : at + 5_000] for at in range(0, sound.shape[1], 5_000))
    out = np.concatenate(list(band_passed(pieces, low_hz=low_hz, high_hz=high_hz, sample_rate_hz=48_000)), axis=1)
    assert out.shape == sound.shape
    return float(np.sqrt(np.mean(out[0, 24_000:] ** 2)) / (0.5 / np.sqrt(2)))


def test_a_band_is_heard_and_what_lies_outside_is_not():
    assert passed(1_000, 500, 2_000) == pytest.approx(1.0, abs=0.02)
    assert passed(100, 500, 2_000) < 0.01
    assert passed(8_000, 500, 2_000) < 0.01
    assert passed(1_000, 0, 24_000) == pytest.approx(1.0, abs=1e-3)


def test_gain_is_mixed_and_what_it_drives_stays():
    sound = np.full((1, 100), 0.25)
    track = MixTrack(io.BytesIO(wav(sound)), measure(io.BytesIO(wav(sound))), gain=2.0)
    mixed = np.concatenate(list(mix_blocks([track], rate_hz=48_000, n_samples=100)), axis=1)
    np.testing.assert_allclose(mixed, 0.5, atol=1e-6)


def figures_of(sound: np.ndarray, rate_hz: int = 48_000):
    reader = FiguresReader(sample_rate_hz=rate_hz)
    for block in np.array_split(np.atleast_2d(sound).astype(np.float32), 7, axis=-1):
        reader.add(block)
    return reader.finish()


@pytest.mark.parametrize("rate_hz", [44_100, 48_000, 96_000])
def test_integrated_loudness_of_the_bs1770_tone(rate_hz):
    tone = sine(997, amplitude=10 ** (-23 / 20), seconds=6, rate_hz=rate_hz)
    assert figures_of(np.stack([tone, tone]), rate_hz).loudness_lufs == pytest.approx(-23.0, abs=0.1)


def test_the_gate_leaves_out_silence_and_the_quiet():
    loud, quiet = (sine(997, amplitude=10 ** (db / 20), seconds=10) for db in (-23, -40))
    padded = np.concatenate([quiet, loud, np.zeros(480_000)])
    both = np.stack([padded, padded])
    assert figures_of(both).loudness_lufs == pytest.approx(-23.0, abs=0.2)  # as EBU Tech 3341 asks of its third test


def test_the_true_peak_lies_between_the_samples():
    t = np.arange(48_000)
    between = np.sin(2 * np.pi * 0.25 * t + np.pi / 4) * 0.5  # samples at 0.354, the wave at 0.5
    found = figures_of(between * np.clip(t / 4_000, 0, 1) * np.clip((48_000 - t) / 4_000, 0, 1))
    assert found.peak_db == pytest.approx(20 * np.log10(0.5 * np.sqrt(0.5)), abs=0.01)
    assert found.true_peak_db == pytest.approx(20 * np.log10(0.5), abs=0.3)


def test_silence_and_a_moment_have_no_loudness():
    assert figures_of(np.zeros(48_000)).loudness_lufs is None
    assert figures_of(np.zeros(48_000)).peak_db is None
    assert figures_of(np.ones(10) * 0.1).loudness_lufs is None

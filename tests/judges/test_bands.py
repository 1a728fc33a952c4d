"""Bands against a Fourier transform in double precision that knows nothing of columns."""

import io
import re

import numpy as np
import pytest
from tests.conftest import read, sine, wav

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.envelope.envelope import ReadingChoice, needs
from fern_tide.core.sound.decode import measure
from fern_tide.core.sound.features import BandsFeature
from fern_tide.core.sound.spectrum import Window, resolve, window_samples

NARROW = [(15_900, 16_100), (15_950, 16_050), (5_200, 5_400), (9_000, 9_180), (11_500, 12_900), (19_000, 19_400)]


def judged(x: np.ndarray, low: float, high: float, *, window: Window, rate_hz: int, rate: str) -> np.ndarray:
    """Give a band's level per frame, bins cut by fraction, in float64."""
    n = window_samples(resolve(window, low_hz=low, high_hz=high, sample_rate_hz=rate_hz), sample_rate_hz=rate_hz)
    hann = 0.5 - 0.5 * np.cos(2 * np.pi * np.arange(n) / n)
    fps = FrameRate.parse(rate)
    frames = np.arange(fps.n_frames(len(x), sample_rate_hz=rate_hz))
    padded = np.concatenate([np.zeros(n), x, np.zeros(2 * n)])
    lower, upper = (np.clip(np.arange(n // 2 + 1) + side, 0, n / 2) * rate_hz / n for side in (-0.5, 0.5))
    share = np.maximum(np.minimum(upper, high) - np.maximum(lower, low), 0) / (upper - lower)
    out = []
    for middle in fps.middle_samples(frames, sample_rate_hz=rate_hz):
        spectrum = np.fft.rfft(padded[middle + n - n // 2 : middle + n - n // 2 + n] * hann)
        power = 2 * np.abs(spectrum) ** 2 / (n * np.sum(hann**2))
        power[[0, -1]] /= 2
        out.append(np.sqrt(power @ share))
    return np.array(out)


@pytest.mark.parametrize("rate_hz", [44_100, 48_000, 96_000])
@pytest.mark.parametrize(("low", "high"), NARROW)
def test_a_narrow_band_of_the_highs_reads_a_tone_inside_and_none_outside(low, high, rate_hz):
    reading, middle = f"band low_hz={low} high_hz={high}", (low + high) / 2
    inside = read(wav(sine(middle, amplitude=0.37, rate_hz=rate_hz), rate_hz=rate_hz), reading)
    np.testing.assert_allclose(inside[6:-6], 0.37 / np.sqrt(2), rtol=0.01)
    for hz in (low - 1.5 * (high - low), high + 1.5 * (high - low)):
        outside = read(wav(sine(hz, amplitude=0.37, rate_hz=rate_hz), rate_hz=rate_hz), reading)
        assert outside[6:-6].max() < 0.37 * 0.01


@pytest.mark.parametrize("rate_hz", [44_100, 48_000, 96_000])
@pytest.mark.parametrize(("low", "high"), [(2_000, 5_000), (6_000, 16_000), (3_000, 3_900), (400, 9_000)])
def test_the_edges_of_a_wide_band_are_no_softer_than_its_fields_say(low, high, rate_hz):
    reading = f"band low_hz={low} high_hz={high}"
    for edge, inwards in ((low, 1), (high, -1)):
        soft = inwards * max(0.03 * edge, 100)
        inside, outside = (
            read(wav(sine(edge + side * soft, amplitude=0.37, rate_hz=rate_hz), rate_hz=rate_hz), reading)[6:-6]
            for side in (1, -1)
        )
        np.testing.assert_allclose(inside, 0.37 / np.sqrt(2), rtol=0.015)
        assert outside.max() < 0.05 * 0.37


@pytest.mark.parametrize("window", Window)
@pytest.mark.parametrize(("low", "high"), [*NARROW, (40, 180), (2_000, 2_400), (6_000, 6_020)])
def test_bins_are_cut_by_fraction_at_every_frequency(low, high, window):
    rng = np.random.default_rng(5)
    x = rng.normal(size=48_000) * 0.1 + sine(high - 7.0, amplitude=0.2, seconds=1)
    found = read(wav(x), f"band low_hz={low} high_hz={high} window={window}", rate="24000/1001")
    wanted = judged(x.astype(np.float32).astype(float), low, high, window=window, rate_hz=48_000, rate="24000/1001")
    np.testing.assert_allclose(found, wanted, rtol=2e-3, atol=1e-6)


@pytest.mark.parametrize("below_db", [60, 70, 80])
@pytest.mark.parametrize(("quiet", "loud"), [(100, 10_000), (1_000, 3_000), (5_000, 9_000), (60, 500)])
@pytest.mark.parametrize("window", ["auto", "fine"])
def test_a_band_far_below_loud_highs_is_right_within_a_decibel(quiet, loud, below_db, window):
    amplitude = 0.9 * 10 ** (-below_db / 20)
    x = sine(loud, amplitude=0.9) + sine(quiet, amplitude=amplitude)
    level = read(wav(x), f"band low_hz={quiet * 0.6:g} high_hz={quiet * 1.5:g} window={window}")
    apart_db = 20 * np.log10(level[8:-8] / (amplitude / np.sqrt(2)))
    assert np.abs(apart_db).max() < 1.0


def test_rows_of_a_fine_bank_are_read_like_bands_of_their_own():
    x = np.random.default_rng(2).normal(size=48_000) * 0.1
    bank = read(wav(x), "bank bands=40 low_hz=4000 high_hz=16000 equalise=none spacing=linear")
    for row in (0, 7, 39):
        low, high = 4_000 + 300 * row, 4_300 + 300 * row
        np.testing.assert_allclose(bank[row], read(wav(x), f"band low_hz={low} high_hz={high}"), rtol=1e-5)


def test_only_narrow_bands_want_a_reading_of_their_own_and_rows_share_one():
    info = measure(io.BytesIO(wav(np.zeros(48_000))))

    def own(reading: str) -> list[BandsFeature]:
        return [item for item in needs(ReadingChoice.parse(reading), info) if isinstance(item, BandsFeature)]

    assert not own("band low_hz=3000 high_hz=11000") and not own("band low_hz=40 high_hz=60")
    assert not own("bank bands=12")
    assert own("band low_hz=15900 high_hz=16100")[0].cuts_hz == (15_900, 16_100)
    shared = own("bank bands=40 low_hz=4000 high_hz=16000 spacing=linear")
    assert len(shared) == 1 and len(shared[0].cuts_hz) == 41


@pytest.mark.parametrize(
    ("reading", "words"),
    [
        ("band low_hz=1000 high_hz=1020", "less than 47 Hz apart are not told from it here. Make it wider."),
        ("band low_hz=1000 high_hz=1100 window=tight", "less than 188 Hz apart .* or let the window be auto"),
        ("band low_hz=1000 high_hz=30000", "nothing above 24000 Hz"),
        ("band low_hz=1000 high_hz=2000", "^$"),
        ("bank bands=128 low_hz=40 high_hz=400", "not told from it"),
        ("loudness", "^$"),
    ],
)
def test_what_a_band_cannot_tell_is_said(reading, words):
    choice = ReadingChoice.parse(reading)
    info = measure(io.BytesIO(wav(np.zeros(4_800))))
    assert re.search(words, choice.spec.doubt(choice.params, info))

"""Loudness as ffmpeg's meter hears it, in every common layout of loudspeakers."""

import io
import re
import subprocess

import numpy as np
import pytest
from tests.conftest import read, wav
from tests.judges.ffmpeg import encoded

from fern_tide.core.sound.decode import blocks, measure
from fern_tide.core.sound.layout import loudness_weights, masked_layout, usual_layout
from fern_tide.core.sound.whole import FiguresReader

LAYOUTS = ["mono", "stereo", "3.0", "quad", "5.0", "5.1", "5.1(side)", "7.1", "2.1", "6.1"]


def judged(path) -> tuple[float, float]:
    """Give ffmpeg's integrated loudness and true peak."""
    told = subprocess.run(
        ["ffmpeg", "-nostats", "-i", str(path), "-af", "ebur128=peak=true", "-f", "null", "-"],
        capture_output=True,
        text=True,
        check=True,
    ).stderr
    summary = told[told.rindex("Summary:") :]
    return tuple(float(re.search(rf"{name}:\s+(-?[\d.]+)", summary)[1]) for name in ("I", "Peak"))


def noise(channels: int) -> np.ndarray:
    """Six seconds in which every channel is another noise, the low-frequency one the loudest by far."""
    rng = np.random.default_rng(channels)
    levels = np.array([0.05, 0.04, 0.06, 0.2, 0.07, 0.08, 0.05, 0.09])[:channels]
    return rng.normal(size=(channels, 6 * 48_000)) * levels[:, None]


@pytest.mark.parametrize("name", ["a.wav", "a.flac"])
@pytest.mark.parametrize("layout", LAYOUTS)
def test_loudness_of_any_layout_is_what_ffmpeg_measures(layout, name, tmp_path):
    n = {"mono": 1, "stereo": 2, "3.0": 3, "2.1": 3, "quad": 4, "5.0": 5, "6.1": 7, "7.1": 8}.get(layout, 6)
    if name == "a.flac" and layout in {"2.1"}:
        pytest.skip("FLAC's three channels are left, right, centre")
    content = encoded(
        noise(n), tmp_path, name, "-af", f"aformat=channel_layouts={layout}", before=("-channel_layout", layout)
    )
    info = measure(io.BytesIO(content))
    reader = FiguresReader(sample_rate_hz=info.sample_rate_hz, layout=info.layout)
    for block in blocks(io.BytesIO(content)):
        reader.add(block)
    found, (lufs, peak) = reader.finish(), judged(tmp_path / name)
    assert found.loudness_lufs == pytest.approx(lufs, abs=0.06)
    assert found.true_peak_db == pytest.approx(peak, abs=0.25)  # noise up to Nyquist: filters differ there


def test_a_low_frequency_channel_alone_has_no_loudness():
    x = np.zeros((6, 96_000))
    x[3] = 0.3 * np.sin(2 * np.pi * 50 * np.arange(96_000) / 48_000)
    assert read(wav(x), "loudness").max() == 0.0


def test_a_layout_is_the_channel_mask_of_the_file_or_the_usual_one():
    assert masked_layout(0b111111, channels=6) == ("FL", "FR", "FC", "LFE", "BL", "BR")
    assert masked_layout(0b11000001111, channels=6) == ("FL", "FR", "FC", "LFE", "SL", "SR")
    assert masked_layout(0b11, channels=6) == usual_layout(6)
    assert loudness_weights(("FL", "FR", "LFE"), channels=3).tolist() == [1.0, 1.0, 0.0]
    assert loudness_weights((), channels=4).tolist() == [1.0, 1.0, 1.41, 1.41]
    assert loudness_weights((), channels=11).tolist() == [1.0] * 11

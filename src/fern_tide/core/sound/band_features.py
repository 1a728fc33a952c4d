"""Which features bands are read from."""

from __future__ import annotations

from functools import lru_cache

from fern_tide.core.sound.band_reading import is_cut_coarsely
from fern_tide.core.sound.channels import Channel
from fern_tide.core.sound.features import BandsFeature, SpectrumFeature
from fern_tide.core.sound.spectrum import PART_HZ, Part, Window, resolve


def spectrum_of_band(
    channel: Channel, window: Window, *, low_hz: float, high_hz: float, sample_rate_hz: int
) -> SpectrumFeature:
    """Give the spectrum that a band is read from: through the window, or for auto the shortest that resolves it."""
    resolved = resolve(window, low_hz=low_hz, high_hz=high_hz, sample_rate_hz=sample_rate_hz)
    lows = resolved is Window.FINE and high_hz <= PART_HZ[Part.LOWS]  # those are read with every track
    return SpectrumFeature(channel=channel, window=resolved, part=Part.LOWS if lows else Part.WHOLE)


@lru_cache(maxsize=512)
def band_feature(
    channel: Channel, window: Window, *, low_hz: float, high_hz: float, sample_rate_hz: int
) -> SpectrumFeature | BandsFeature:
    """Give what a band is read from: a spectrum, or where it is too narrow for its columns a reading of its own."""
    band = {"low_hz": low_hz, "high_hz": high_hz}
    spectrum = spectrum_of_band(channel, window, sample_rate_hz=sample_rate_hz, **band)
    if is_cut_coarsely(spectrum.window, sample_rate_hz=sample_rate_hz, **band):
        return BandsFeature(channel=channel, window=spectrum.window, cuts_hz=(low_hz, high_hz))
    return spectrum


def spectra_of_bands(channel: Channel) -> tuple[SpectrumFeature, ...]:
    """Give the spectra that bands of a channel may be read from, so that an edge can be dragged anywhere."""
    return tuple(SpectrumFeature(channel=channel, window=window) for window in Window if window is not Window.AUTO)

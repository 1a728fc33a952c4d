"""Band: how loud the sound is between two frequencies."""

from __future__ import annotations

from typing import Annotated, Any

import numpy as np
from pydantic import Field, model_validator

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.edges import check_edges, pushed_edges
from fern_tide.core.envelope.reading import Reading, Source, frame_by_frame
from fern_tide.core.sound.band_features import band_feature, spectra_of_bands
from fern_tide.core.sound.band_reading import EDGES_HELP, band_doubt, band_level
from fern_tide.core.sound.channels import Channel
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import BandsFeature, SpectrumFeature
from fern_tide.core.sound.spectrum import Window, resolve


class BandParams(Params):
    """Which frequencies of which channel, seen through how long a window."""

    channel: Annotated[Channel, unit("", "Which channel is read.")] = Channel.MID
    low_hz: Annotated[float, Field(ge=0, le=96_000), unit("Hz", f"The band's lower edge. {EDGES_HELP}", step=1)] = 40.0
    high_hz: Annotated[float, Field(gt=0, le=96_000), unit("Hz", f"The band's upper edge. {EDGES_HELP}", step=1)] = (
        180.0
    )
    window: Annotated[Window, unit("", "Tight follows fast hits; fine tells close notes apart.")] = Window.AUTO

    @model_validator(mode="after")
    def _in_order(self) -> BandParams:
        check_edges(self.low_hz, self.high_hz)
        return self

    def pushed(self, field: str, value: Any) -> dict[str, Any]:
        """Move the other edge out of the way."""
        return pushed_edges(self.low_hz, self.high_hz, field=field, value=value)


def needs(params: BandParams, info: SoundInfo) -> tuple[SpectrumFeature | BandsFeature, ...]:
    """Give the one spectrum in which the band is resolved, or where it is narrow a reading of its own."""
    low, high, rate_hz = params.low_hz, params.high_hz, info.sample_rate_hz
    return (band_feature(params.channel, params.window, low_hz=low, high_hz=high, sample_rate_hz=rate_hz),)


def read(params: BandParams, source: Source) -> FloatArray:
    """Give the band's RMS per frame, linear; a sine of amplitude A inside it reads A/sqrt(2). Shape (frames,)."""
    (feature,) = needs(params, source.info)
    stored = source.get(feature)
    if isinstance(feature, BandsFeature):
        return np.asarray(np.sqrt(stored[:, 0].astype(np.float64)).max(axis=0))
    edges = feature.edges_hz(source.info.sample_rate_hz)
    return band_level(stored, edges, low_hz=params.low_hz, high_hz=params.high_hz)


def doubt(params: BandParams, info: SoundInfo) -> str:
    """Say what such a band cannot tell."""
    low, high, rate_hz = params.low_hz, params.high_hz, info.sample_rate_hz
    window = resolve(params.window, low_hz=low, high_hz=high, sample_rate_hz=rate_hz)
    return band_doubt(window, low_hz=low, high_hz=high, sample_rate_hz=rate_hz)


READING = Reading(
    id="band",
    label="Band",
    help="How loud the sound is between two frequencies.",
    params=BandParams,
    role="box",
    needs=needs,
    begins=("rise_and_fall rise_ms=10 fall_ms=180",),
    ahead=lambda params: spectra_of_bands(params.channel),
    read=read,
    live=frame_by_frame(read, needs=needs),
    doubt=doubt,
    version=2,
)

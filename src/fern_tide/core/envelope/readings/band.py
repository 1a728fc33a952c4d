"""Band: how loud the sound is between two frequencies."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.reading import Reading, Source
from fern_tide.core.sound.channels import Channel
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import SpectrumFeature, spectrum_of_band
from fern_tide.core.sound.spectrum import Window, band_level


class BandParams(Params):
    """Which frequencies of which channel, seen through how long a window."""

    channel: Annotated[Channel, unit("", "Which channel is read.")] = Channel.MID
    low_hz: Annotated[float, Field(ge=0, le=96_000), unit("Hz", "The band's lower edge.", step=1)] = 40.0
    high_hz: Annotated[float, Field(gt=0, le=96_000), unit("Hz", "The band's upper edge.", step=1)] = 180.0
    window: Annotated[Window, unit("", "Tight follows fast hits; fine tells close notes apart.")] = Window.AUTO

    @model_validator(mode="after")
    def _in_order(self) -> BandParams:
        if self.high_hz <= self.low_hz:
            allowed = f"more than Low, {self.low_hz:g} Hz"
            raise InvalidParameter("High", value=f"{self.high_hz:g}", allowed=allowed, field="high_hz")
        return self


def needs(params: BandParams, info: SoundInfo) -> tuple[SpectrumFeature, ...]:
    """Give the one spectrum in which the band is resolved."""
    band = {"low_hz": params.low_hz, "high_hz": params.high_hz}
    return (spectrum_of_band(params.channel, params.window, sample_rate_hz=info.sample_rate_hz, **band),)


def read(params: BandParams, source: Source) -> FloatArray:
    """Give the band's RMS per frame, linear; a sine of amplitude A inside it reads A/sqrt(2). Shape (frames,)."""
    (feature,) = needs(params, source.info)
    rate = source.info.sample_rate_hz
    edges = feature.edges_hz(rate)
    return band_level(source.get(feature), edges, low_hz=params.low_hz, high_hz=params.high_hz)


READING = Reading(
    id="band",
    label="Band",
    help="How loud the sound is between two frequencies.",
    params=BandParams,
    needs=needs,
    read=read,
)

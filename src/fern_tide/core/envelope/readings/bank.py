"""Band bank: many bands at once, from low to high, for many pieces."""

from __future__ import annotations

from enum import StrEnum
from itertools import pairwise
from typing import Annotated

import numpy as np
from pydantic import Field, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.clean_up.equalise import equalise_rows
from fern_tide.core.envelope.reading import Reading, Source
from fern_tide.core.sound.channels import Channel
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import SpectrumFeature, spectrum_of_band
from fern_tide.core.sound.spectrum import Window, band_level


class Spacing(StrEnum):
    """How the bands divide the range: evenly in octaves, in mel (as the ear tells pitches apart), or in Hz."""

    OCTAVE = "octave"
    MEL = "mel"
    LINEAR = "linear"


class Equalised(StrEnum):
    """Whether levels are brought to full scale: each band by itself, all by the loudest, or not."""

    EACH = "each"
    ALL = "all"
    NONE = "none"


class BankParams(Params):
    """How many bands, over which range, spaced and equalised how."""

    channel: Annotated[Channel, unit("", "Which channel is read.")] = Channel.MID
    bands: Annotated[int, Field(ge=2, le=128), unit("", "How many bands.")] = 12
    low_hz: Annotated[float, Field(gt=0, le=96_000), unit("Hz", "The lowest band's lower edge.", step=1)] = 40.0
    high_hz: Annotated[float, Field(gt=0, le=96_000), unit("Hz", "The highest band's upper edge.", step=1)] = 12_000.0
    spacing: Annotated[Spacing, unit("", "How the range is divided.")] = Spacing.OCTAVE
    equalise: Annotated[Equalised, unit("", "Each band to full scale, all together, or none.")] = Equalised.EACH
    window: Annotated[Window, unit("", "Tight follows fast hits; fine tells close notes apart.")] = Window.AUTO

    @model_validator(mode="after")
    def _in_order(self) -> BankParams:
        if self.high_hz <= self.low_hz:
            allowed = f"more than Low, {self.low_hz:g} Hz"
            raise InvalidParameter("High", value=f"{self.high_hz:g}", allowed=allowed, field="high_hz")
        return self


def cuts_hz(params: BankParams) -> FloatArray:
    """Give the bands' edges, shape (bands + 1,); mel as m = 2595 log10(1 + f / 700)."""
    low, high, n = params.low_hz, params.high_hz, params.bands + 1
    if params.spacing is Spacing.OCTAVE:
        return np.geomspace(low, high, n)
    if params.spacing is Spacing.LINEAR:
        return np.linspace(low, high, n)
    lowest, highest = (2595.0 * float(np.log10(1.0 + hz / 700.0)) for hz in (low, high))
    return np.asarray(700.0 * (10.0 ** (np.linspace(lowest, highest, n) / 2595.0) - 1.0))


def _spectra(params: BankParams, info: SoundInfo) -> list[SpectrumFeature]:
    cuts = cuts_hz(params)
    return [
        spectrum_of_band(
            params.channel, params.window, low_hz=float(low), high_hz=float(high), sample_rate_hz=info.sample_rate_hz
        )
        for low, high in pairwise(cuts)
    ]


def needs(params: BankParams, info: SoundInfo) -> tuple[SpectrumFeature, ...]:
    """Give the spectra in which the bands are resolved."""
    return tuple(dict.fromkeys(_spectra(params, info)))


def read(params: BankParams, source: Source) -> FloatArray:
    """Give each band's RMS per frame, shape (bands, frames), lowest first, equalised as chosen."""
    rate, cuts = source.info.sample_rate_hz, cuts_hz(params)
    levels = []
    for feature, low, high in zip(_spectra(params, source.info), cuts[:-1], cuts[1:], strict=True):
        edges = feature.edges_hz(rate)
        levels.append(band_level(source.get(feature), edges, low_hz=float(low), high_hz=float(high)))
    bank = np.stack(levels)
    if params.equalise is Equalised.NONE:
        return bank
    return equalise_rows(bank, percentile=99.5, together=params.equalise is Equalised.ALL)


def rows(params: BankParams) -> tuple[str, ...]:
    """Name the bands by their edges."""
    cuts = cuts_hz(params)
    return tuple(f"{low:.0f}-{high:.0f} Hz" for low, high in pairwise(cuts))


READING = Reading(
    id="bank",
    label="Band bank",
    help="Many bands at once, from low to high, for many pieces.",
    params=BankParams,
    needs=needs,
    read=read,
    rows=rows,
)

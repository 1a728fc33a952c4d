"""Band bank: many bands at once, from low to high, for many pieces."""

from __future__ import annotations

from enum import StrEnum
from functools import lru_cache
from itertools import groupby, pairwise
from typing import Annotated, Any

import numpy as np
from pydantic import Field, model_validator

from fern_tide.core.base.live import Live
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray, frozen
from fern_tide.core.envelope.clean_up.equalise import LIVE_S, Equalising, equalise_rows
from fern_tide.core.envelope.edges import check_edges, pushed_edges
from fern_tide.core.envelope.reading import Draws, LiveRead, LiveSource, Reading, Source, lag_of
from fern_tide.core.sound.band_features import band_feature, spectra_of_bands
from fern_tide.core.sound.band_reading import EDGES_HELP, band_doubt, band_level
from fern_tide.core.sound.channels import Channel
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import BandsFeature, SpectrumFeature
from fern_tide.core.sound.spectrum import Window, resolve

_EQUAL = 99.5  # the percentile of a band that is brought to full scale


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
    low_hz: Annotated[
        float, Field(gt=0, le=96_000), unit("Hz", f"The lowest band's lower edge. {EDGES_HELP}", step=1)
    ] = 40.0
    high_hz: Annotated[
        float, Field(gt=0, le=96_000), unit("Hz", f"The highest band's upper edge. {EDGES_HELP}", step=1)
    ] = 12_000.0
    spacing: Annotated[Spacing, unit("", "How the range is divided.")] = Spacing.OCTAVE
    equalise: Annotated[Equalised, unit("", "Each band to full scale, all together, or none.")] = Equalised.EACH
    window: Annotated[Window, unit("", "Tight follows fast hits; fine tells close notes apart.")] = Window.AUTO

    @model_validator(mode="after")
    def _in_order(self) -> BankParams:
        check_edges(self.low_hz, self.high_hz)
        return self

    def pushed(self, field: str, value: Any) -> dict[str, Any]:
        """Move the other edge out of the way."""
        return pushed_edges(self.low_hz, self.high_hz, field=field, value=value)


@lru_cache(maxsize=64)
def cuts_hz(params: BankParams) -> FloatArray:
    """Give the bands' edges, shape (bands + 1,); mel as m = 2595 log10(1 + f / 700)."""
    low, high, n = params.low_hz, params.high_hz, params.bands + 1
    if params.spacing is Spacing.OCTAVE:
        return frozen(np.geomspace(low, high, n))
    if params.spacing is Spacing.LINEAR:
        return frozen(np.linspace(low, high, n))
    lowest, highest = (2595.0 * float(np.log10(1.0 + hz / 700.0)) for hz in (low, high))
    return frozen(700.0 * (10.0 ** (np.linspace(lowest, highest, n) / 2595.0) - 1.0))


def _features(params: BankParams, info: SoundInfo) -> list[SpectrumFeature | BandsFeature]:
    """Give what each row is read from; narrow rows beside each other, seen through the same window, share a reading."""
    cuts = cuts_hz(params)
    wanted: list[SpectrumFeature | BandsFeature] = []
    for low, high in pairwise(cuts.tolist()):
        feature = band_feature(
            params.channel, params.window, low_hz=low, high_hz=high, sample_rate_hz=info.sample_rate_hz
        )
        wanted.append(feature)
    return [feature for alike, run in groupby(wanted, key=_kind_of) for feature in _joined(alike, list(run))]


def _kind_of(feature: SpectrumFeature | BandsFeature) -> tuple[bool, Window]:
    return isinstance(feature, BandsFeature), feature.window


def _joined(
    alike: tuple[bool, Window], run: list[SpectrumFeature | BandsFeature]
) -> list[SpectrumFeature | BandsFeature]:
    if not alike[0]:
        return run
    cuts = [feature.cuts_hz for feature in run if isinstance(feature, BandsFeature)]
    together = BandsFeature(channel=run[0].channel, window=alike[1], cuts_hz=(cuts[0][0], *(cut[1] for cut in cuts)))
    return [together] * len(run)


def needs(params: BankParams, info: SoundInfo) -> tuple[SpectrumFeature | BandsFeature, ...]:
    """Give the spectra in which the bands are resolved."""
    return tuple(dict.fromkeys(_features(params, info)))


def read(params: BankParams, source: Source) -> FloatArray:
    """Give each band's RMS per frame, shape (bands, frames), lowest first, equalised as chosen."""
    bank = _levels(params, _features(params, source.info), source)
    if params.equalise is Equalised.NONE:
        return bank
    return equalise_rows(bank, percentile=_EQUAL, together=params.equalise is Equalised.ALL)


def _levels(params: BankParams, features: list[SpectrumFeature | BandsFeature], source: Source) -> FloatArray:
    """Read each band from its feature."""
    rate, cuts = source.info.sample_rate_hz, cuts_hz(params)
    levels: list[FloatArray] = []
    for feature, run in groupby(zip(features, pairwise(cuts.tolist()), strict=True), key=lambda band: band[0]):
        stored = source.get(feature)
        for _, (low, high) in run:
            if isinstance(feature, BandsFeature):
                row = stored[:, feature.cuts_hz.index(low)].astype(np.float64)
                levels.append(np.sqrt(row).max(axis=0))
            else:
                levels.append(band_level(stored, feature.edges_hz(rate), low_hz=low, high_hz=high))
    return np.stack(levels)


def flow(params: BankParams, source: LiveSource) -> LiveRead:
    """Give what reads the bands while the sound comes, equalised by the last half minute."""
    features = _features(params, source.info)
    if params.equalise is Equalised.NONE:
        return lambda source: _levels(params, features, source)
    equalise = Equalising(percentile=_EQUAL, rate=source.rate, together=params.equalise is Equalised.ALL)
    return lambda source: equalise(_levels(params, features, source))


def live_words(params: BankParams) -> str:
    """Say what live is otherwise."""
    return "" if params.equalise is Equalised.NONE else f"Bands are equalised by the last {LIVE_S:.0f} s."


def doubt(params: BankParams, info: SoundInfo) -> str:
    """Say what the narrowest of the bands, or the highest, cannot tell."""
    cuts, rate_hz = cuts_hz(params), info.sample_rate_hz
    words = ""
    for low, high in pairwise(cuts.tolist()):
        window = resolve(params.window, low_hz=low, high_hz=high, sample_rate_hz=rate_hz)
        words = words or band_doubt(window, low_hz=low, high_hz=high, sample_rate_hz=rate_hz)
    return words


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
    draws=Draws("spectrum", lambda points: {"bands": points}, ("smooth width_ms=60",)),
    ahead=lambda params: spectra_of_bands(params.channel),
    read=read,
    live=Live(flow, lag_frames=lag_of(needs), words=live_words),
    rows=rows,
    doubt=doubt,
    version=2,
)

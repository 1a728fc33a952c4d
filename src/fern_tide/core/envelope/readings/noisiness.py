"""Noisiness: from a pure tone to hiss."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.units import from_db
from fern_tide.core.envelope.reading import Reading, Source, frame_by_frame, in_shares
from fern_tide.core.sound.band_reading import column_power
from fern_tide.core.sound.channels import Channel
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import SpectrumFeature
from fern_tide.core.sound.spectrum import Window

LOWEST_HZ, HIGHEST_HZ = 40.0, 16_000.0
_STRETCH = 256  # frames at a time: they stay in the cache, and hours need no more memory than minutes


class NoisinessParams(Params):
    """Of which channel, and what counts as silence."""

    channel: Annotated[Channel, unit("", "Which channel is read.")] = Channel.MID
    silent_db: Annotated[
        float, Field(ge=-120, le=0), unit("dB", "A quieter frame has no noisiness: it reads 0.", step=1)
    ] = -60.0


def needs(params: NoisinessParams, info: SoundInfo) -> tuple[SpectrumFeature, ...]:
    """Give the balanced spectrum."""
    return (SpectrumFeature(channel=params.channel, window=Window.BALANCED),)


def read(params: NoisinessParams, source: Source) -> FloatArray:
    """Give the spectral flatness per frame, shape (frames,): the geometric over the arithmetic mean of power density.

    Columns from 40 Hz to 16 kHz count by their width in Hz. 0 is a tone; white noise is near 1, since columns of the
    highs are means over many bins.
    """
    (feature,) = needs(params, source.info)
    rate = source.info.sample_rate_hz
    edges = feature.edges_hz(rate)
    first, last = np.searchsorted(edges, [LOWEST_HZ, min(HIGHEST_HZ, rate / 2)])
    widths = np.diff(edges[first : last + 1])
    share = widths / widths.sum()
    stored = source.get(feature)
    out = np.zeros(stored.shape[-1])
    for start in range(0, len(out), _STRETCH):
        power = column_power(stored[..., start : start + _STRETCH], int(first), int(last)).sum(axis=0)
        density = power / widths[:, None]
        mean = share @ density
        heard = power.sum(axis=0) > from_db(params.silent_db) ** 2
        floor = np.where(heard, mean * 1e-10, 1.0)
        flat = np.exp(share @ np.log(np.maximum(density, floor))) / np.where(heard, mean, 1.0)
        out[start : start + _STRETCH] = np.where(heard, np.minimum(flat, 1.0), 0.0)
    return out


READING = Reading(
    id="noisiness",
    label="Noisiness",
    help="From a pure tone to hiss.",
    params=NoisinessParams,
    needs=needs,
    read=read,
    live=frame_by_frame(read, needs=needs),
    unit=in_shares,
)

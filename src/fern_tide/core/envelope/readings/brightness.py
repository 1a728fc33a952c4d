"""Brightness: where the middle of the spectrum lies, from dark to bright."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.units import OwnUnit, from_db
from fern_tide.core.envelope.reading import Reading, Source, frame_by_frame
from fern_tide.core.sound.band_reading import column_weights
from fern_tide.core.sound.channels import Channel
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import SpectrumFeature
from fern_tide.core.sound.spectrum import Window

DARKEST_HZ, OCTAVES = 20.0, 10.0  # the level 0 is 20 Hz, the level 1 is ten octaves above it: 20,480 Hz


HERTZ = OwnUnit("Hz", lambda level: DARKEST_HZ * 2.0 ** (OCTAVES * level))


class BrightnessParams(Params):
    """Of which channel, and what counts as silence."""

    channel: Annotated[Channel, unit("", "Which channel is read.")] = Channel.MID
    silent_db: Annotated[
        float, Field(ge=-120, le=0), unit("dB", "A quieter frame has no brightness: it reads 0.", step=1)
    ] = -60.0


def needs(params: BrightnessParams, info: SoundInfo) -> tuple[SpectrumFeature, ...]:
    """Give the balanced spectrum."""
    return (SpectrumFeature(channel=params.channel, window=Window.BALANCED),)


def read(params: BrightnessParams, source: Source) -> FloatArray:
    """Give the spectral centroid per frame on a log scale, shape (frames,): log2(centroid / 20 Hz) / 10, from 0 to 1.

    The centroid is the mean frequency weighted by power, the middle of each column standing for what lies in it;
    of the loudest channel the channels' powers are added.
    """
    (feature,) = needs(params, source.info)
    rate = source.info.sample_rate_hz
    edges = feature.edges_hz(rate)
    middles = (edges[:-1] + edges[1:]) / 2
    stored = source.get(feature)[:, :-1]
    counts = np.stack([column_weights(np.ones(len(middles))), column_weights(middles)]).astype(np.float32)
    total, weighted = np.einsum("wc,scf->wf", counts, stored).astype(np.float64)
    heard = total > from_db(params.silent_db) ** 2
    centroid_hz = np.where(heard, weighted / np.where(heard, total, 1.0), DARKEST_HZ)
    return np.asarray(np.clip(np.log2(np.maximum(centroid_hz, DARKEST_HZ) / DARKEST_HZ) / OCTAVES, 0.0, 1.0))


READING = Reading(
    id="brightness",
    label="Brightness",
    help="Where the middle of the spectrum lies, from dark to bright.",
    params=BrightnessParams,
    needs=needs,
    read=read,
    live=frame_by_frame(read, needs=needs),
    version=3,
    unit=lambda params: HERTZ,
)

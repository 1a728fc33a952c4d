"""Waveform: how high the sound swings just before and after each frame, point by point, for drawing it."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.reading import Reading, Source
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import WaveformFeature
from fern_tide.core.sound.running import WAVEFORM_SAMPLES


class WaveformParams(Params):
    """How many points, over how long a stretch about the frame."""

    points: Annotated[int, Field(ge=2, le=128), unit("", "How many points are drawn.")] = 48
    window_ms: Annotated[float, Field(ge=20, le=10_000), unit("ms", "How long a stretch they cover.", step=10)] = 400.0


def needs(params: WaveformParams, info: SoundInfo) -> tuple[WaveformFeature, ...]:
    """Give the lowest and highest samples of every short span."""
    return (WaveformFeature(),)


def read(params: WaveformParams, source: Source) -> FloatArray:
    """Give the peak about each point, shape (points, frames), the earliest point first.

    A point covers the stretch to half way to its neighbours, in spans of 256 samples, so that no peak is missed; before
    the track's start and after its end it is silent.
    """
    from scipy.ndimage import maximum_filter1d

    spans = np.abs(source.get(WaveformFeature())).max(axis=0).astype(np.float64)
    rate = source.info.sample_rate_hz
    stretch = params.window_ms / 1000.0 / (params.points - 1) * rate / WAVEFORM_SAMPLES
    spans = maximum_filter1d(spans, size=max(1, round(stretch)), mode="constant") if len(spans) else spans
    middles = (np.arange(source.n_frames) + 0.5) / float(source.rate.fps) - source.offset_s
    around = np.linspace(-0.5, 0.5, params.points) * params.window_ms / 1000.0
    at = np.floor((middles + around[:, np.newaxis]) * rate / WAVEFORM_SAMPLES).astype(np.int64)
    inside = (at >= 0) & (at < len(spans))
    return np.where(inside, spans[np.clip(at, 0, max(0, len(spans) - 1))] if len(spans) else 0.0, 0.0)


def rows(params: WaveformParams) -> tuple[str, ...]:
    """Name the points by their times."""
    around = np.linspace(-0.5, 0.5, params.points) * params.window_ms
    return tuple(f"{time:+.0f} ms" for time in around)


READING = Reading(
    id="waveform",
    label="Waveform",
    help="How high the sound swings about each frame, point by point.",
    params=WaveformParams,
    needs=needs,
    read=read,
    rows=rows,
)

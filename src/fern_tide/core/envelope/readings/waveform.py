"""Waveform: how high the sound swings just before and after each frame, point by point, for drawing it."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from pydantic import Field

from fern_tide.core.base.live import Live
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.reading import Draws, LiveRead, LiveSource, Reading, Source
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import WaveformFeature
from fern_tide.core.sound.grid import Samples
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

    A point covers the stretch to half way to its neighbours, and all of every span of 256 samples that the stretch
    touches, so that every sample lies in a point; the points together cover at least the frame. Before the track's
    start and after its end there is silence.
    """
    spans = np.abs(source.get(WaveformFeature())).max(axis=0).astype(np.float64)
    rate, frame_s = source.info.sample_rate_hz, source.rate.duration_s(1)
    stretch_s = _stretch_s(params, frame_s)
    middles = (np.arange(source.n_frames) + 0.5) * frame_s - source.offset_s
    edges = (np.arange(params.points + 1) - params.points / 2.0) * stretch_s
    at = (middles + edges[:, np.newaxis]) * rate / WAVEFORM_SAMPLES
    return _highest(spans, np.floor(at[:-1]).astype(np.int64), np.ceil(at[1:]).astype(np.int64))


def _stretch_s(params: WaveformParams, frame_s: float) -> float:
    """Give how long a stretch a point covers."""
    return max(params.window_ms / 1000.0 / (params.points - 1), frame_s / params.points)


def flow(params: WaveformParams, source: LiveSource) -> LiveRead:
    """Give what reads the points of the stretch that ends with the frame."""
    stretch_s = _stretch_s(params, source.rate.duration_s(1))
    return lambda source: source.sound.peaks(params.points, stretch_s=stretch_s)


def live_lag(params: WaveformParams, source: LiveSource) -> float:
    """Give how late the middle of that stretch is."""
    return max(0.0, params.points * _stretch_s(params, source.rate.duration_s(1)) / source.rate.duration_s(1) / 2 - 0.5)


def _highest(spans: FloatArray, starts: Samples, ends: Samples) -> FloatArray:
    """Give the highest of spans starts..ends-1, all about as many; outside there is silence. The shape of starts."""
    if not len(spans):
        return np.zeros(starts.shape)
    reach = max(1, int((ends - starts).min()))
    padded = np.pad(spans, (reach, int((ends - starts).max()) + reach))
    highest = sliding_window_view(padded, reach).max(axis=1)
    first, last = starts + reach, ends  # of the windows that begin and end the stretch, in the padded spans
    inside = (ends > 0) & (starts < len(spans))
    limit = len(highest) - 1
    tops = np.maximum(highest[np.clip(first, 0, limit)], highest[np.clip(last, 0, limit)])
    return np.where(inside, tops, 0.0)


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
    draws=Draws("waveform", lambda points: {"points": points}),
    read=read,
    live=Live(flow, lag_frames=live_lag),
    rows=rows,
    version=2,
)

"""Amplitude: how loud the whole sound is in each frame."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.reading import Reading, Source, frame_by_frame
from fern_tide.core.sound.channels import Channel
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import LevelsFeature
from fern_tide.core.sound.levels import Detector


class AmplitudeParams(Params):
    """Which channel, which detector, over how long a window."""

    channel: Annotated[Channel, unit("", "Which channel is read.")] = Channel.MID
    detector: Annotated[Detector, unit("", "How a frame's samples become one level.")] = Detector.RMS
    window_ms: Annotated[
        float, Field(ge=0, le=2000), unit("ms", "Centred on the frame's middle; 0 is the frame itself.", step=1)
    ] = 0.0


def needs(params: AmplitudeParams, info: SoundInfo) -> tuple[LevelsFeature, ...]:
    """Give the one detector's feature."""
    window = params.window_ms or None
    return (LevelsFeature(channel=params.channel, detector=params.detector, window_ms=window),)


def read(params: AmplitudeParams, source: Source) -> FloatArray:
    """Give the level per frame, linear, 1.0 being full scale; shape (frames,)."""
    return source.get(needs(params, source.info)[0]).astype(np.float64)


READING = Reading(
    id="amplitude",
    label="Amplitude",
    help="How loud the whole sound is in each frame.",
    params=AmplitudeParams,
    role="first",
    needs=needs,
    begins=("rise_and_fall rise_ms=10 fall_ms=180", "smooth width_ms=60"),
    read=read,
    live=frame_by_frame(read, needs=needs),
)

"""Loudness: how loud the sound seems to the ear, in LUFS."""

from __future__ import annotations

from typing import Annotated

import numpy as np

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.units import LUFS
from fern_tide.core.envelope.reading import Reading, Source, frame_by_frame
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import LoudnessFeature, LoudnessWindow


class LoudnessParams(Params):
    """Over how long a stretch."""

    window: Annotated[LoudnessWindow, unit("", "Momentary looks at 400 ms, short term at 3 s.")] = (
        LoudnessWindow.MOMENTARY
    )


def needs(params: LoudnessParams, info: SoundInfo) -> tuple[LoudnessFeature, ...]:
    """Give the one feature."""
    return (LoudnessFeature(window=params.window),)


def read(params: LoudnessParams, source: Source) -> FloatArray:
    """Give 10^(LUFS / 20) per frame, shape (frames,), so that the level in dB is the loudness in LUFS (BS.1770)."""
    return source.get(needs(params, source.info)[0]).astype(np.float64)


READING = Reading(
    id="loudness",
    label="Loudness",
    help="How loud the sound seems to the ear, in LUFS.",
    params=LoudnessParams,
    needs=needs,
    read=read,
    live=frame_by_frame(read, needs=needs),
    unit=lambda params: LUFS,
    version=2,
)

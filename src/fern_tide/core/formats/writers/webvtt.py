"""WebVTT: markers, hits and beats as cues (W3C)."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import Format, HandOff
from fern_tide.core.formats.moment_params import MomentParams
from fern_tide.core.formats.moments import read_moments, write_vtt


class WebvttParams(MomentParams):
    """Which moments go in."""


def encode(hand_off: HandOff, params: WebvttParams) -> bytes:
    """Write a cue for every moment, in time."""
    return write_vtt(params.of(hand_off.moments).all()).encode()


def of_moments(content: bytes, hand_off: HandOff, params: WebvttParams) -> tuple[FloatArray, FloatArray]:
    """Give the times that it should have, and those of its cues."""
    wanted = [moment.time_s for moment in params.of(hand_off.moments).all()]
    read = read_moments(content) if wanted else []
    return np.array(wanted), np.array([moment.time_s for moment in read])


def read_back(content: bytes, hand_off: HandOff, params: WebvttParams) -> Mapping[Target, FloatArray]:
    """Give no curves: it carries none."""
    return {}


def loses(curve: Curve) -> str | None:
    """Say nothing of curves, which it does not carry."""
    return None


FORMAT = Format(
    id="webvtt",
    label="WebVTT",
    help="Markers, hits and beats as cues.",
    params=WebvttParams,
    extension=".vtt",
    media_type="text/vtt",
    loses=loses,
    encode=encode,
    read_back=read_back,
    of_moments=of_moments,
    rounds_by=5.01e-4,
    lacks="curves",
)

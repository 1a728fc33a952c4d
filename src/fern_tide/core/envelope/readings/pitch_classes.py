"""Pitch classes: how loud each of the twelve notes is, in all octaves together."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated

import numpy as np
from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.reading import Reading, Source, frame_by_frame
from fern_tide.core.sound.band_reading import band_power
from fern_tide.core.sound.channels import Channel
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import SpectrumFeature
from fern_tide.core.sound.spectrum import Part, Window

NAMES = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")
_LOWEST_MIDI, _OCTAVES = 48, 5  # C3 at 130.8 Hz, below which a fine window cannot tell notes apart, to B7


class Note(StrEnum):
    """All twelve as a bank, or one of them."""

    ALL = "all"
    C = "C"
    C_SHARP = "C#"
    D = "D"
    D_SHARP = "D#"
    E = "E"
    F = "F"
    F_SHARP = "F#"
    G = "G"
    G_SHARP = "G#"
    A = "A"
    A_SHARP = "A#"
    B = "B"


class PitchClassesParams(Params):
    """Which notes of which channel, tuned how."""

    channel: Annotated[Channel, unit("", "Which channel is read.")] = Channel.MID
    note: Annotated[Note, unit("", "All twelve, or one.")] = Note.ALL
    tuning_hz: Annotated[float, Field(ge=400, le=480), unit("Hz", "The A above middle C.", step=1)] = 440.0


def needs(params: PitchClassesParams, info: SoundInfo) -> tuple[SpectrumFeature, ...]:
    """Give the fine spectrum up to the highest notes."""
    return (SpectrumFeature(channel=params.channel, window=Window.FINE, part=Part.NOTES),)


def read(params: PitchClassesParams, source: Source) -> FloatArray:
    """Give the RMS of each pitch class per frame, shape (12, frames) from C to B, or (frames,) for one note.

    A class is what lies within half a semitone of its notes from C3 to B7; a sine of amplitude A on a note reads
    about A / sqrt(2).
    """
    (feature,) = needs(params, source.info)
    rate = source.info.sample_rate_hz
    edges = feature.edges_hz(rate)
    notes = _LOWEST_MIDI - 0.5 + np.arange(12 * _OCTAVES + 1)
    cuts = np.minimum(params.tuning_hz * 2.0 ** ((notes - 69.0) / 12.0), rate / 2)
    power = band_power(source.get(feature), edges, cuts_hz=cuts).sum(axis=0)
    classes = np.sqrt(power.reshape(_OCTAVES, 12, -1).sum(axis=0))
    return classes if params.note is Note.ALL else np.asarray(classes[NAMES.index(params.note)])


def rows(params: PitchClassesParams) -> tuple[str, ...]:
    """Name the notes."""
    return NAMES if params.note is Note.ALL else ()


READING = Reading(
    id="pitch_classes",
    label="Pitch classes",
    help="How loud each of the twelve notes is, in all octaves together.",
    params=PitchClassesParams,
    needs=needs,
    read=read,
    live=frame_by_frame(read, needs=needs),
    rows=rows,
)

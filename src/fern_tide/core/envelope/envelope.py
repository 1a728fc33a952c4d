"""An envelope: a reading of a track and its clean-up."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.registry import Choice, Registry, discover
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Id, Name
from fern_tide.core.envelope import clean_up as clean_up_folder
from fern_tide.core.envelope import readings as readings_folder
from fern_tide.core.envelope.cleaning import CleanUp
from fern_tide.core.envelope.reading import Features, Reading
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import Feature

READINGS = discover(readings_folder, attribute="READING", of=Reading, kind="reading")
CLEAN_UPS = discover(clean_up_folder, attribute="CLEAN_UP", of=CleanUp, kind="clean-up")


class ReadingChoice(Choice):
    """A reading and its params."""

    registry: ClassVar[Registry[Reading]] = READINGS


class CleanUpChoice(Choice):
    """A clean-up and its params."""

    registry: ClassVar[Registry[CleanUp]] = CLEAN_UPS


class Envelope(Frozen, frozen=True):
    """One level over time, read from a track; one value per frame."""

    id: Id
    name: Name
    track: Id
    reading: ReadingChoice
    clean_up: tuple[CleanUpChoice, ...] = ()

    @property
    def versions(self) -> tuple[int, ...]:
        """The versions of the code that its numbers come from, for fingerprints."""
        return (self.reading.spec.version, *(choice.spec.version for choice in self.clean_up))


def needs(reading: ReadingChoice, info: SoundInfo) -> tuple[Feature, ...]:
    """List the features that a reading asks of a track."""
    return tuple(READINGS[reading.id].needs(reading.params, info))


def read_raw(reading: ReadingChoice, features: Features, *, n_frames: int) -> FloatArray:
    """Read a level before clean-up.

    Args:
        reading: which, and its params.
        features: the track's analysis.
        n_frames: the project's length; the level is silent after the track's end.

    Returns:
        Shape (n_frames,).
    """
    level = READINGS[reading.id].read(reading.params, features)[:n_frames]
    return np.pad(level, (0, n_frames - len(level)))


def clean(level: FloatArray, clean_up: tuple[CleanUpChoice, ...], *, rate: FrameRate) -> FloatArray:
    """Apply the clean-ups that are on, in order; the shape (..., frames) stays."""
    for choice in clean_up:
        if choice.on:
            level = CLEAN_UPS[choice.id].apply(level, params=choice.params, rate=rate)
    return level

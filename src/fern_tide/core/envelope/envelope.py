"""An envelope: a reading of a track and its clean-up."""

from __future__ import annotations

from typing import Annotated, ClassVar

import numpy as np
from pydantic import model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.limits import MOST_CHOICES, Most
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.registry import Choice, Registry, discover
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Id, Name
from fern_tide.core.base.units import OwnUnit
from fern_tide.core.envelope import clean_up as clean_up_folder
from fern_tide.core.envelope import readings as readings_folder
from fern_tide.core.envelope.cleaning import CleanUp
from fern_tide.core.envelope.reading import Reading, Source
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
    """One level over time; one value per frame, or one per frame and row of a bank.

    Attributes:
        track: what it is read from; None for a reading of no track.
    """

    id: Id
    name: Name
    track: Id | None = None
    reading: ReadingChoice
    clean_up: Annotated[tuple[CleanUpChoice, ...], Most(MOST_CHOICES)] = ()

    @model_validator(mode="after")
    def _of_a_track(self) -> Envelope:
        if self.reading.spec.of_track and self.track is None:
            raise InvalidParameter("track", value="none", allowed=f"a track, to read {self.reading.spec.label} from")
        return self

    @property
    def uses(self) -> tuple[str, ...]:
        """The ids of the envelopes that it is made of."""
        return tuple(self.reading.spec.uses(self.reading.params))

    def same_level(self, other: Envelope) -> bool:
        """Say whether another one gives the same level: it differs at most in id and name."""
        return self.but(id=other.id, name=other.name) == other

    @property
    def unit(self) -> OwnUnit:
        """What its level is counted in."""
        unit: OwnUnit = self.reading.spec.unit(self.reading.params)
        return unit

    @property
    def rows(self) -> tuple[str, ...]:
        """The names of its rows; none for a single level."""
        return tuple(self.reading.spec.rows(self.reading.params))

    @property
    def versions(self) -> tuple[int, ...]:
        """The versions of the code that its numbers come from, for fingerprints."""
        return (self.reading.spec.version, *(choice.spec.version for choice in self.clean_up))


def reading_in_role(role: str) -> Reading:
    """Give the reading that has a role in the Sound room: 'first', 'box' or 'file'."""
    return next(spec for spec in READINGS.values() if spec.role == role)


def beginning(reading_id: str) -> tuple[CleanUpChoice, ...]:
    """Give the clean-ups that a new envelope of a reading begins with."""
    return tuple(map(CleanUpChoice.parse, READINGS[reading_id].begins))


def needs(reading: ReadingChoice, info: SoundInfo) -> tuple[Feature, ...]:
    """List the features that a reading asks of a track."""
    return tuple(READINGS[reading.id].needs(reading.params, info))


def read_raw(reading: ReadingChoice, source: Source) -> FloatArray:
    """Read a level before clean-up, as long as the project; it is silent after the track's end.

    Args:
        reading: which, and its params.
        source: the track's analysis, and the project around it.

    Returns:
        Shape (frames,), or (rows, frames) for a bank.
    """
    level = READINGS[reading.id].read(reading.params, source)[..., : source.n_frames]
    missing = source.n_frames - level.shape[-1]
    return np.pad(level, [(0, 0)] * (level.ndim - 1) + [(0, missing)]) if missing else level


def row_of(level: FloatArray, row: int) -> FloatArray:
    """Give the row of a bank's level that a mapping follows, the last where there are fewer; a single level itself."""
    return level if level.ndim == 1 else np.asarray(level[min(row, len(level) - 1)])


def highest_row(level: FloatArray) -> FloatArray:
    """Give the highest of all rows of a bank's level, frame by frame; a single level itself."""
    return level if level.ndim == 1 else np.asarray(level.max(axis=0))


def followed_level(level: FloatArray, *, row: int, spread: bool) -> FloatArray:
    """Give what a mapping follows of a level, shape (frames,): a row, or where it is spread the highest of all rows."""
    return highest_row(level) if spread else row_of(level, row)


def clean(level: FloatArray, clean_up: tuple[CleanUpChoice, ...], *, rate: FrameRate) -> FloatArray:
    """Apply the clean-ups that are on, in order; the shape (..., frames) stays."""
    for choice in clean_up:
        if choice.on:
            level = CLEAN_UPS[choice.id].apply(level, params=choice.params, rate=rate)
    return level

"""What is known of a sound: the voices in it that could move something, each with its numbers."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from typing import Protocol

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.base.units import from_db, to_db
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.beats import Beats
from fern_tide.core.envelope.envelope import Envelope
from fern_tide.core.envelope.hits import Hits
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.sound.features import Feature

SILENT_DB = -60.0
_COMPARED = 4000  # frames that are compared with one another


class Levels(Protocol):
    """Gives what is read from a project's sounds."""

    def cleaned(self, project: Project, envelope: Envelope) -> FloatArray:
        """Give an envelope's level after clean-up, (frames,) or (rows, frames)."""

    def lift(self, project: Project, mapping: Mapping) -> FloatArray:
        """Give a mapping's lift after its steps, (frames,) or (rows, frames)."""

    def beats(self, project: Project) -> Beats:
        """Give the project's beat grid."""

    def rhythm(self, project: Project, track: Track) -> tuple[Hits, Beats]:
        """Give a track's hits and beats, in seconds of the track."""

    def feature(self, project: Project, track: Track, feature: Feature) -> Float32Array:
        """Give a feature of a track."""


class Role(StrEnum):
    """What a voice is good for."""

    PULSE = "pulse"
    BED = "bed"
    SPARKLE = "sparkle"
    TONE = "tone"
    LOUDEST = "loudest"
    ROWS = "rows"
    PLAIN = "plain"


@dataclass(frozen=True, eq=False)
class Voice:
    """Something in a sound that could move things.

    Attributes:
        role: what it is good for.
        envelope: how it is read.
        level: that envelope's, shape (frames,); of a bank the highest of its rows.
        clear: how well it can be told from silence, 0 to 1.
        reason: the same in words, with numbers.
        hits: the frames of the hits that it answers, shape (hits,); none where it follows a level.
    """

    role: Role
    envelope: Envelope
    level: FloatArray
    clear: float
    reason: str
    hits: npt.NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, dtype=np.int64))


@dataclass(frozen=True, eq=False)
class SoundSummary:
    """What is known of a project's sound.

    Attributes:
        voices: in the order of their roles, at most one a role.
        loudness: the level of the whole, shape (frames,), not smoothed.
        beat_s: how far beats are apart, in seconds; 0 where there is no sure tempo.
        reason: why there is no voice; '' where there is one.
    """

    voices: tuple[Voice, ...]
    loudness: FloatArray
    beat_s: float = 0.0
    reason: str = ""

    def voice(self, role: Role) -> Voice | None:
        """Give the voice of a role, or None."""
        return next((voice for voice in self.voices if voice.role is role), None)

    def first_of(self, *roles: Role) -> Voice | None:
        """Give the voice of the first of some roles that there is, or None."""
        return next((voice for role in roles if (voice := self.voice(role)) is not None), None)

    def only(self, envelope: Envelope, level: FloatArray) -> SoundSummary:
        """Give a summary in which one envelope stands for every voice."""
        followed = np.asarray(level.max(axis=0)) if level.ndim > 1 else level
        between = range_db(followed)
        clear, words = min(1.0, 0.2 + between / 20.0), f"{between:.0f} dB between quiet and loud"
        roles = [Role.ROWS] if level.ndim > 1 else [role for role in Role if role not in {Role.ROWS, Role.PLAIN}]
        voices = tuple(Voice(role, envelope, followed, clear, words) for role in roles)
        return SoundSummary(voices, self.loudness, self.beat_s, self.reason)


def range_db(level: FloatArray) -> float:
    """Give how far a level's loud tenth lies above its quiet tenth, in dB, where it is heard at all."""
    heard = level[level > from_db(SILENT_DB)]
    if heard.size < 8:
        return 0.0
    low, high = np.percentile(to_db(heard), [10, 90])
    return float(high - low)


def likeness(one: FloatArray, other: FloatArray) -> float:
    """Give how much two levels move together, 0 to 1: the size of their correlation; 0 where one is still."""
    step = max(1, len(one) // _COMPARED)
    a, b = one[::step], other[::step]
    if float(np.ptp(a)) < 1e-9 or float(np.ptp(b)) < 1e-9:
        return 0.0
    return abs(float(np.corrcoef(a, b)[0, 1]))

"""What a reading is: what it needs from a track or a project, and how it turns that into a level."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any, Literal, Protocol, TypeAlias

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.live import Live
from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.base.units import DECIBELS, SHARE, OwnUnit
from fern_tide.core.envelope.beats import Beats
from fern_tide.core.envelope.hit_edits import EditedHits
from fern_tide.core.envelope.notes import Notes
from fern_tide.core.envelope.takes import Take
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import Feature
from fern_tide.core.sound.live_sound import LiveSound, lag_frames


class Source(Protocol):
    """Where a reading reads from: a track's stored analysis, and the project around it."""

    @property
    def rate(self) -> FrameRate:
        """The project's frame rate."""

    @property
    def n_frames(self) -> int:
        """The project's length."""

    @property
    def info(self) -> SoundInfo:
        """The track's sound as measured."""

    @property
    def offset_s(self) -> float:
        """When the track begins, in seconds of the project."""

    def get(self, feature: Feature) -> Float32Array:
        """Give a feature's array; see core/sound/features.py for the shapes."""

    def beats(self) -> Beats:
        """Give the project's beat grid."""

    def level(self, envelope_id: str) -> FloatArray:
        """Give another envelope's cleaned level, shape (..., frames)."""

    def points(self, media: str) -> FloatArray:
        """Give an imported curve, shape (2, points): seconds and values."""

    def notes(self, media: str) -> Notes:
        """Give what an imported MIDI file plays."""

    def take(self, media: str) -> Take:
        """Give what was performed."""


class LiveSource(Source, Protocol):
    """Where a reading reads from while a sound comes: n_frames are those that became whole with the last stretch."""

    @property
    def sound(self) -> LiveSound:
        """The sound until now."""


LiveRead: TypeAlias = Callable[[LiveSource], FloatArray]
"""Gives the level of the frames that became whole, shape (frames,), or (rows, frames) for a bank."""


def frame_by_frame(
    read: Callable[[Any, Source], FloatArray],
    *,
    needs: Callable[[Any, SoundInfo], tuple[Feature, ...]],
) -> Live[LiveSource, LiveRead]:
    """Say that a reading reads every frame by itself, so that it can while a sound comes.

    Args:
        read: gives the level of the frames of a source.
        needs: the features that it is read from, whose windows then end with their frames.
    """
    return Live(lambda params, source: partial(read, params), lag_frames=lag_of(needs))


def lag_of(needs: Callable[[Any, SoundInfo], tuple[Feature, ...]]) -> Callable[[Any, LiveSource], float]:
    """Give how late the windows of features are that end with their frames: the latest of them."""

    def lag(params: Any, source: LiveSource) -> float:
        grid = source.sound.grid
        return max((lag_frames(feature, grid=grid) for feature in needs(params, source.info)), default=0.0)

    return lag


def _none(params: Any) -> tuple[Any, ...]:
    return ()


def _no_features(params: Any, info: SoundInfo) -> tuple[Feature, ...]:
    return ()


def _never(params: Any) -> bool:
    return False


def _no_hits(params: Any, source: Source) -> EditedHits | None:
    return None


def _decibels(params: Any) -> OwnUnit:
    return DECIBELS


def in_shares(params: Any) -> OwnUnit:
    """Say that a level is 0 to 1 and has no unit."""
    return SHARE


def _no_doubt(params: Any, info: SoundInfo) -> str:
    return ""


@dataclass(frozen=True)
class Draws:
    """How a reading of many rows draws a sound graphic.

    Attributes:
        words: what it draws, such as 'spectrum'.
        params: gives its params for a graphic of so many points.
        clean_up: the clean-ups that go with it, as text.
    """

    words: str
    params: Callable[[int], Mapping[str, Any]]
    clean_up: tuple[str, ...] = ()


@dataclass(frozen=True)
class Reading:
    """One way to read a level.

    Attributes:
        id: the file's name.
        label: what people read.
        help: one line on what it is for.
        params: the model of its options.
        read: gives the level, shape (frames,), or (rows, frames) for a bank.
        needs: gives the features that read will ask for, from the params and the sound's facts.
        ahead: gives the features that it may soon ask for while its params change under the hand.
        of_track: whether it reads from a track.
        on_beats: says, from the params, whether it asks for the project's beats.
        hits: gives the hits that it is made of, each of which can be edited by hand (its param edits); None of what is
            not made of hits.
        own_hits: says, from the params, whether steps go by these hits and not by those of its track: where a hand made
            or edited them.
        uses: gives the ids of the envelopes that it asks for.
        media: gives the hashes of the files that it asks for.
        rows: gives the names of a bank's rows; none for a single level.
        live: how it reads a sound that is still coming, known by its sample rate and channels; None of what is not
            there while a sound comes.
        version: raised when the numbers change.
        unit: gives, from the params, what the level is counted in.
        begins: the clean-ups that a new envelope of it begins with, as text.
        draws: how it draws a sound graphic, where it has as many rows as one has points.
        role: what it alone does in the Sound room: 'first' is what a new track is read by; 'box' is drawn on a
            spectrogram, its params low_hz and high_hz; 'file' reads a curve that is brought in, 'notes' the notes of a
            MIDI file, both by their param media; 'take' what was performed, by its param takes.
        doubt: says, from the params and the sound's facts, what such a level cannot tell; '' for nothing.
    """

    id: str
    label: str
    help: str
    params: type[Params]
    read: Callable[[Any, Source], FloatArray]
    needs: Callable[[Any, SoundInfo], tuple[Feature, ...]] = _no_features
    ahead: Callable[[Any], tuple[Feature, ...]] = _none
    of_track: bool = True
    on_beats: Callable[[Any], bool] = _never
    hits: Callable[[Any, Source], EditedHits | None] = _no_hits
    own_hits: Callable[[Any], bool] = _never
    uses: Callable[[Any], tuple[str, ...]] = _none
    media: Callable[[Any], tuple[str, ...]] = _none
    rows: Callable[[Any], tuple[str, ...]] = _none
    live: Live[LiveSource, LiveRead] | None = None
    version: int = 1
    unit: Callable[[Any], OwnUnit] = _decibels
    doubt: Callable[[Any, SoundInfo], str] = _no_doubt
    draws: Draws | None = None
    begins: tuple[str, ...] = ()
    role: Literal["", "first", "box", "file", "notes", "take"] = ""

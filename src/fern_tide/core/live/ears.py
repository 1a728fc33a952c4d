"""Envelopes while a sound comes: what is read of the frames that became whole, and its clean-up."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.live import Flow
from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.envelope.beats import Beats
from fern_tide.core.envelope.envelope import Envelope
from fern_tide.core.envelope.notes import Notes
from fern_tide.core.envelope.reading import LiveRead
from fern_tide.core.envelope.takes import Take
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import BandsFeature, Feature, LevelsFeature, LoudnessFeature, SpectrumFeature
from fern_tide.core.sound.live_sound import LiveSound


@dataclass
class ComingSound:
    """What readings read from while a sound comes; see LiveSource.

    Attributes:
        rate: the project's frame rate.
        sound: until now.
        levels: the cleaned levels of the frames that became whole, by envelope; those that are read already.
    """

    rate: FrameRate
    sound: LiveSound
    levels: dict[str, FloatArray] = field(default_factory=dict)
    offset_s: float = 0.0

    @property
    def n_frames(self) -> int:
        """How many frames became whole with the last stretch."""
        return self.sound.n_frames

    @property
    def info(self) -> SoundInfo:
        """The sound as it comes."""
        rate_hz = self.sound.grid.sample_rate_hz
        return SoundInfo(
            format="live", encoding="float", channels=self.sound.channels, sample_rate_hz=rate_hz, n_samples=0
        )

    def get(self, feature: Feature) -> Float32Array:
        """Give a feature of those frames."""
        if isinstance(feature, LoudnessFeature):
            return self.sound.loudness(feature)
        if isinstance(feature, (LevelsFeature, SpectrumFeature, BandsFeature)):
            return self.sound.feature(feature)
        raise _not_there()

    def level(self, envelope_id: str) -> FloatArray:
        """Give another envelope's cleaned level of those frames."""
        return self.levels[envelope_id]

    def beats(self) -> Beats:
        """Give nothing: no reading of beats is live."""
        raise _not_there()

    def points(self, media: str) -> FloatArray:
        """Give nothing: no reading of a file is live."""
        raise _not_there()

    def notes(self, media: str) -> Notes:
        """Give nothing: no reading of a file is live."""
        raise _not_there()

    def take(self, media: str) -> Take:
        """Give nothing: no reading of a take is live."""
        raise _not_there()


def _not_there() -> RuntimeError:
    return RuntimeError("a reading that says it is live asked for what is not there while a sound comes")


class Ear:
    """An envelope that hears what comes; where it cannot, it is silent.

    Args:
        envelope: which.
        source: what comes.
        hears: whether the sound is its track's; a reading of no track always hears.
    """

    def __init__(self, envelope: Envelope, source: ComingSound, *, hears: bool) -> None:
        self.envelope = envelope
        wanted = hears or not envelope.reading.spec.of_track
        live = envelope.reading.spec.live if wanted else None
        params, self.lag_frames = envelope.reading.params, 0.0
        self.words: list[str] = []
        self._read: LiveRead | None = None
        if live is not None:
            self._read = live.flow(params, source)
            self.lag_frames = live.lag_frames(params, source)
            self.words.append(live.words(params))
        elif wanted:
            self.words.append(f"{envelope.reading.spec.label} is not heard live: it rests.")
        self._clean: list[Flow] = []
        for choice in envelope.clean_up:
            if not choice.on or self._read is None:
                continue
            cleaning = choice.spec.live
            if cleaning is None:
                self.words.append(f"{choice.spec.label} needs the whole sound: it is left out.")
                continue
            self._clean.append(cleaning.flow(choice.params, source.rate))
            self.lag_frames += cleaning.lag_frames(choice.params, source.rate)
            self.words.append(cleaning.words(choice.params))

    @property
    def hears(self) -> bool:
        """Whether it hears what comes; else it is silent."""
        return self._read is not None

    def level(self, source: ComingSound) -> FloatArray:
        """Give the cleaned level of the frames that became whole, shape (frames,), or (rows, frames) for a bank."""
        if self._read is None:
            rows = len(self.envelope.rows)
            return np.zeros((rows, source.n_frames) if rows else source.n_frames)
        level = self._read(source)
        for clean in self._clean:
            level = clean(level)
        return level

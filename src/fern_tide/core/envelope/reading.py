"""What a reading is: which features of a track it needs, and how it turns them into a level."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Protocol

from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.features import Feature


class Features(Protocol):
    """A track's stored analysis, as a reading sees it."""

    @property
    def info(self) -> SoundInfo:
        """The track's sound as measured."""

    def get(self, feature: Feature) -> Float32Array:
        """Give a feature's array; see core/sound/features.py for the shapes."""


@dataclass(frozen=True)
class Reading:
    """One way to read a level out of a track.

    Attributes:
        id: the file's name.
        label: what people read.
        help: one line on what it is for.
        params: the model of its options.
        needs: gives the features that read will ask for, from the params and the sound's facts.
        read: gives the level, shape (frames,), from the features.
        version: raised when the numbers change.
        db_name: what the level is called when shown on a dB scale; '' for a level that is no loudness.
    """

    id: str
    label: str
    help: str
    params: type[Params]
    needs: Callable[[Any, SoundInfo], tuple[Feature, ...]]
    read: Callable[[Any, Features], FloatArray]
    version: int = 1
    db_name: str = "dB"

"""Which samples of a track each frame of the project speaks for."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.frame_rate import FrameRate

Samples: TypeAlias = npt.NDArray[np.int64]


@dataclass(frozen=True)
class FrameGrid:
    """The project's frames over one track; samples are the track's own, so they may be negative before its start.

    Attributes:
        rate: the project's frame rate.
        sample_rate_hz: the track's own rate.
        n_samples: the track's length.
        offset_samples: how much later than the project's start the track begins.
    """

    rate: FrameRate
    sample_rate_hz: int
    n_samples: int
    offset_samples: int = 0

    @property
    def n_frames(self) -> int:
        """The frames from the project's start to the track's end."""
        return max(0, self.rate.n_frames(self.n_samples + self.offset_samples, sample_rate_hz=self.sample_rate_hz))

    def bounds(self, first: int, last: int, *, window_ms: float | None) -> tuple[Samples, Samples]:
        """Give the first sample, and the one after the last, that frames first..last-1 read.

        Args:
            first: a frame.
            last: the frame after the last.
            window_ms: a window centred on the frame's middle; None is the frame itself.
        """
        frames = np.arange(first, last + 1, dtype=np.int64)
        if window_ms is None:
            edges = self.rate.first_samples(frames, sample_rate_hz=self.sample_rate_hz) - self.offset_samples
            return edges[:-1], edges[1:]
        size = max(1, round(window_ms * self.sample_rate_hz / 1000.0))
        starts = self.middles(first, last) - size // 2
        return starts, starts + size

    def centres(self, first: int, last: int, *, reach: int) -> Samples:
        """Give the samples about which windows lie that reach so many samples to both sides: the frames' middles."""
        return self.middles(first, last)

    def middles(self, first: int, last: int) -> Samples:
        """Give the sample nearest the middle of frames first..last-1."""
        frames = np.arange(first, last, dtype=np.int64)
        return self.rate.middle_samples(frames, sample_rate_hz=self.sample_rate_hz) - self.offset_samples


@dataclass(frozen=True)
class OneSidedGrid(FrameGrid):
    """A project's frames over a sound that is still coming: every window ends where its frame does."""

    def bounds(self, first: int, last: int, *, window_ms: float | None) -> tuple[Samples, Samples]:
        """Give the first sample, and the one after the last, that frames first..last-1 read."""
        starts, ends = super().bounds(first, last, window_ms=None)
        if window_ms is None:
            return starts, ends
        return ends - max(1, round(window_ms * self.sample_rate_hz / 1000.0)), ends

    def centres(self, first: int, last: int, *, reach: int) -> Samples:
        """Give the samples about which windows lie that reach as far as their frames."""
        return super().bounds(first, last, window_ms=None)[1] - reach

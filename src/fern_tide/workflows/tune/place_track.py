"""Where a track begins: moved by frames, by milliseconds, or so that one of its hits lies where it should."""

from __future__ import annotations

from enum import StrEnum

import numpy as np

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.hits import Hits

_LATEST = 2**40  # samples


class CountedIn(StrEnum):
    """What an offset is counted in."""

    FRAMES = "frames"
    MS = "ms"
    SAMPLES = "samples"


def placed(project: Project, track: Track, *, offset: float, counted_in: CountedIn) -> Track:
    """Give the track so that it begins so much later than the project; whole frames are exact to the sample.

    Args:
        project: its rate says what a frame is.
        track: the track.
        offset: how much later; earlier below zero. Fractions of a frame are rounded to the nearest sample.
        counted_in: frames, milliseconds or the track's own samples.
    """
    rate_hz = track.info.sample_rate_hz
    if counted_in is CountedIn.SAMPLES:
        samples = round(offset)
    elif counted_in is CountedIn.MS:
        samples = round(offset * rate_hz / 1000.0)
    else:
        whole = round(offset)
        samples = (
            project.rate.first_sample(whole, sample_rate_hz=rate_hz)
            if abs(offset - whole) < 1e-9
            else round(offset * rate_hz / project.rate.per_second)
        )
    return track.model_copy(update={"offset_samples": max(-_LATEST, min(_LATEST, samples))})


class LinedUp(StrEnum):
    """How a hit comes to lie: the track begins on a whole frame and the hit in the frame, or on its first sample."""

    FRAME = "frame"
    SAMPLE = "sample"


def lined_up(project: Project, track: Track, hits: Hits, *, near_s: float, frame: int, to: LinedUp) -> Track:
    """Give the track so that its hit nearest a time falls into a frame, or on its first sample.

    Args:
        project: its rate says where the frame begins.
        track: the track.
        hits: of the track, in its own seconds.
        near_s: where the hit is now, in seconds of the project.
        frame: where it should be.
        to: the frame, the track moved to a whole one; or the sample.

    Raises:
        FernTideError: the track has no hits.
    """
    if not len(hits):
        raise FernTideError(f"No hits were found in {track.name}.", remedy="Move it by frames instead.")
    rate_hz = track.info.sample_rate_hz
    nearest = float(hits.times_s[int(np.argmin(np.abs(hits.times_s + float(track.offset) - near_s)))])
    hit = round(nearest * rate_hz)
    offset = project.rate.first_sample(frame, sample_rate_hz=rate_hz) - hit
    if to is LinedUp.FRAME:
        about = frame - project.rate.frame_of_sample(hit, sample_rate_hz=rate_hz)
        tried = [project.rate.first_sample(n, sample_rate_hz=rate_hz) for n in (about, about + 1, about - 1)]
        lands = [project.rate.frame_of_sample(hit + start, sample_rate_hz=rate_hz) for start in tried]
        offset = tried[lands.index(frame)]
    return track.model_copy(update={"offset_samples": offset})

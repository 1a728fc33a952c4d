"""Whose beats a first cut goes by: of several tracks that drive, the one whose beats the hits of all of them lie on."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.beat_grid import BeatSetting
from fern_tide.core.envelope.beats import NEAR_S, Beats
from fern_tide.core.first_cut.sound import Levels

_LEAST_BEATS = 8
_SURE = 0.05  # of the hits' strength, beyond chance
_SURER = 1.25  # times what the beats so far have
_UNSTEADY = 0.5  # what beats count that come unevenly


def surest_beats(project: Project, levels: Levels) -> Track | None:
    """Give the track whose beats should be the project's, where it is clearly another than they are found in now.

    Beats are as sure as the share of the hits of all tracks, by their strength, that lies on them beyond chance: within
    45 ms, of which twice that over the distance of two beats would lie there anyhow.

    Args:
        project: its tracks; beats that were set or corrected by hand stay, and so does a track that was chosen.
        levels: gives hits and beats.

    Raises:
        NotReadYet: they are still being read.
    """
    now, tracks = project.beat_track, [track for track in project.tracks if track.drives]
    if now is None or len(tracks) < 2 or project.beat != BeatSetting(per_bar=project.beat.per_bar):
        return None
    read = [(track, *levels.rhythm(project, track)) for track in tracks]
    times = np.concatenate([hits.times_s + float(track.offset) for track, hits, _ in read])
    strengths = np.concatenate([hits.strengths for _, hits, _ in read])
    sure = {track.id: _sure(beats, float(track.offset), times, strengths) for track, _, beats in read}
    best = max(tracks, key=lambda track: sure[track.id])
    is_better = sure[best.id] > max(_SURE, _SURER * sure[now.id])
    return best if is_better else None


def _sure(beats: Beats, offset_s: float, times: FloatArray, strengths: FloatArray) -> float:
    """Say how sure beats are, up to 1, by the hits of all tracks in seconds of the project; 0 of too few."""
    if len(beats.times_s) < _LEAST_BEATS or not strengths.sum():
        return 0.0
    at = beats.times_s + offset_s
    after = np.clip(np.searchsorted(at, times), 1, len(at) - 1)
    is_near = np.minimum(np.abs(times - at[after - 1]), np.abs(times - at[after])) <= NEAR_S
    chance = min(0.99, 2 * NEAR_S / float(np.median(np.diff(at))))
    share = float(strengths[is_near].sum() / strengths.sum())
    return (share - chance) / (1 - chance) * (1.0 if beats.steady else _UNSTEADY)

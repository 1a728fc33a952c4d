"""Whose beats a first cut goes by: of several tracks that drive, the one whose beats the hits of all of them lie on."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.beat_grid import BeatSetting, are_on_beats
from fern_tide.core.envelope.beats import NEAR_S, Beats
from fern_tide.core.first_cut.sound import Levels

_LEAST_BEATS = 8
_SURE = 0.05  # of the hits' strength, beyond chance
_SURER = 1.25  # times what the beats so far have
_USUAL_BPM, _OCTAVES = 115.0, 0.5  # beats count less the farther their tempo is from it: most are within an octave
_MOST_SHARED = 0.8  # of the beats of now that may lie on others
_UNSTEADY = 0.5  # what beats count that come unevenly


def surest_beats(project: Project, levels: Levels) -> Track | None:
    """Give the track whose beats should be the project's, where they are clearly others than those that it has now.

    Beats are as sure as the share of the hits of all tracks, by their strength, that lies on them beyond chance: within
    45 ms, of which twice that over the distance of two beats would lie there anyhow. Uneven beats count half, and slow
    or fast ones less: ticks between the beats have a grid of their own. Beats between those of now are no others.

    Args:
        project: its tracks; beats that were set or corrected by hand stay, and so does a track that was chosen.
        levels: gives hits and beats.

    Raises:
        NotReadYet: they are still being read.
    """
    now, tracks = project.beat_track, [track for track in project.tracks if track.drives]
    if now is None or len(tracks) < 2 or project.beat != BeatSetting(per_bar=project.beat.per_bar):
        return None
    read = {track.id: levels.rhythm(project, track) for track in tracks}
    late = {track.id: float(track.offset) for track in tracks}
    times = np.concatenate([hits.times_s + late[name] for name, (hits, _) in read.items()])
    strengths = np.concatenate([hits.strengths for hits, _ in read.values()])
    sure = {name: _sure(beats, late[name], times, strengths) for name, (_, beats) in read.items()}
    best = max(tracks, key=lambda track: sure[track.id])
    if sure[best.id] <= max(_SURE, _SURER * sure[now.id]):
        return None
    old, new = read[now.id][1], read[best.id][1]
    is_same = old.steady and len(old.times_s) >= _LEAST_BEATS and len(new.times_s) >= _LEAST_BEATS
    on_new = are_on_beats(old.times_s + late[now.id], new.times_s + late[best.id]) if is_same else np.zeros(1)
    return None if float(np.mean(on_new)) >= _MOST_SHARED else best


def _sure(beats: Beats, offset_s: float, times: FloatArray, strengths: FloatArray) -> float:
    """Say how sure beats are, up to 1, by the hits of all tracks in seconds of the project; 0 of too few."""
    if len(beats.times_s) < _LEAST_BEATS or not strengths.sum():
        return 0.0
    at = beats.times_s + offset_s
    apart_s = float(np.median(np.diff(at)))
    chance = min(0.99, 2 * NEAR_S / apart_s)
    share = float(strengths[are_on_beats(times, at)].sum() / strengths.sum())
    usual = float(np.exp(-0.5 * (np.log2(60.0 / apart_s / _USUAL_BPM) / _OCTAVES) ** 2))
    return (share - chance) / (1 - chance) * usual * (1.0 if beats.steady else _UNSTEADY)

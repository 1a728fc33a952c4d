"""A new mix under the same track: envelopes and mappings stay, and a report says what moved."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.document import Project
from fern_tide.core.soundtrack_commands import PutTrack
from fern_tide.store.projects import Revision
from fern_tide.workflows import tune
from fern_tide.workflows.bring_in_sound import keep_sound
from fern_tide.workflows.levels import Levels
from fern_tide.workflows.studio import Studio

_SAME = 1e-6  # of a curve's range


@dataclass(frozen=True)
class Moved:
    """How much a curve differs between two states of a project.

    Attributes:
        target: the property, as text.
        name: what people call it.
        largest: the largest difference, as a share of the curve's range.
        mean: the mean difference, as a share of the range.
        at_frame: where it is largest.
        note: 'came in' or 'went' for a curve that only one of them has; else ''.
    """

    target: str
    name: str
    largest: float
    mean: float
    at_frame: int
    note: str = ""


def swap(studio: Studio, key: str, chunks: Iterable[bytes], *, track_id: str) -> Revision:
    """Put another sound file under a track.

    Raises:
        UnknownName: there is no such track.
        UnreadableSound: the file is no sound that can be read; the track stays as it is.
    """
    current = studio.projects.current(key)
    current.document.track(track_id)
    digest, info = keep_sound(studio, chunks)
    current = studio.projects.current(key)
    old = current.document.track(track_id)
    seconds = old.offset
    track = old.model_copy(
        update={"media": digest, "info": info, "offset_samples": round(seconds * info.sample_rate_hz)}
    )
    return tune.edit(studio, key, PutTrack(track=track), base=current.id)


def report(levels: Levels, before: Project, after: Project) -> list[Moved]:
    """Compare every curve of two states of a project, those that moved most first; unchanged ones are left out.

    Raises:
        NotAnalyzedYet: a track of one of them is still being read.
    """
    old = {str(curve.target): curve for curve in tune.curves(levels, before)}
    new = {str(curve.target): curve for curve in tune.curves(levels, after)}
    found = [
        Moved(target, _name(curve), 1.0, 1.0, 0, "went" if target in old else "came in")
        for target, curve in {**old, **new}.items()
        if (target in old) != (target in new)
    ]
    found += [moved for target in old if target in new and (moved := _moved(old[target], new[target])).largest > _SAME]
    return sorted(found, key=lambda moved: -moved.largest)


def _name(curve: Curve) -> str:
    return f"{curve.part_name}, {curve.label.lower()}"


def _moved(old: Curve, new: Curve) -> Moved:
    n = min(old.n_frames, new.n_frames)
    a, b = np.atleast_2d(old.values)[:, :n], np.atleast_2d(new.values)[:, :n]
    span = max(float(np.ptp(np.atleast_2d(curve.values), axis=1).max(initial=0.0)) for curve in (old, new)) or 1.0
    apart = np.abs(a - b).max(axis=0) / span if n else np.zeros(1)
    return Moved(str(new.target), _name(new), float(apart.max()), float(apart.mean()), int(apart.argmax()))

"""A new mix under the same track: envelopes and mappings stay, and a report says what moved."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.signal import extended
from fern_tide.core.commands.soundtrack import PutTrack
from fern_tide.core.document import Project
from fern_tide.store.revision import Revision
from fern_tide.workflows.bring_in.sounds import keep_sound
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.studio import Studio
from fern_tide.workflows.tune import edits

_SAME = 1e-6  # of a curve's range
_SEEN = 0.02  # of it: what is told as a stretch
_GAP_FRAMES = 12
_COLUMNS = 96


@dataclass(frozen=True)
class Moved:
    """How much a curve differs between two states of a project.

    Attributes:
        target: the property, as text.
        name: what people call it.
        largest: the largest difference, as a share of the curve's range.
        mean: the mean difference, as a share of the range.
        at_frame: where it is largest.
        stretches: where it differs by more than a fiftieth of the range: first frame and the one after the last.
        drawn: the old and the new curve small, shape (2, 96), each from 0 to 1 of both their range.
        note: 'came in' or 'went' for a curve that only one of them has; else ''.
    """

    target: str
    name: str
    largest: float
    mean: float
    at_frame: int
    stretches: tuple[tuple[int, int], ...] = ()
    drawn: tuple[tuple[float, ...], ...] = ()
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
    return edits.edit(studio, key, PutTrack(track=track), base=current.id)


def report(levels: Levels, before: Project, after: Project) -> list[Moved]:
    """Compare every curve of two states of a project, those that moved most first; unchanged ones are left out.

    Raises:
        NotAnalyzedYet: a track of one of them is still being read.
    """
    old = {str(curve.target): curve for curve in levels.curves(before)}
    new = {str(curve.target): curve for curve in levels.curves(after)}
    moves = [
        Moved(target, _name(curve), 1.0, 1.0, 0, note="went" if target in old else "came in")
        for target, curve in {**old, **new}.items()
        if (target in old) != (target in new)
    ]
    moves += [moved for target in old if target in new and (moved := _moved(old[target], new[target])).largest > _SAME]
    return sorted(moves, key=lambda moved: -moved.largest)


def _name(curve: Curve) -> str:
    return f"{curve.part_name}, {curve.label.lower()}"


def _moved(old: Curve, new: Curve) -> Moved:
    n = min(old.n_frames, new.n_frames)
    a, b = np.atleast_2d(old.values)[:, :n], np.atleast_2d(new.values)[:, :n]
    span = max(float(np.ptp(np.atleast_2d(curve.values), axis=1).max(initial=0.0)) for curve in (old, new)) or 1.0
    apart = np.abs(a - b).max(axis=0) / span if n else np.zeros(1)
    return Moved(
        str(new.target),
        _name(new),
        float(apart.max()),
        float(apart.mean()),
        int(apart.argmax()),
        stretches=_stretches(apart > _SEEN),
        drawn=_drawn(old, new),
    )


def _stretches(differs: npt.NDArray[np.bool_]) -> tuple[tuple[int, int], ...]:
    """Give where something holds, frame by frame; gaps of a few frames do not part two stretches."""
    at = np.flatnonzero(differs)
    if not len(at):
        return ()
    cuts = np.flatnonzero(np.diff(at) > _GAP_FRAMES)
    begins, ends = np.append(at[0], at[cuts + 1]), np.append(at[cuts], at[-1]) + 1
    return tuple(zip(begins.tolist(), ends.tolist(), strict=True))


def _drawn(old: Curve, new: Curve) -> tuple[tuple[float, ...], ...]:
    """Give both curves in few columns over the longer one's time; where one has ended it stays at its last value."""
    n = max(old.n_frames, new.n_frames)
    rows = [np.atleast_2d(curve.values).mean(axis=0) for curve in (old, new)]
    padded = np.stack([extended(row, after=n - len(row)) if len(row) else np.zeros(n) for row in rows])
    if n == 0:
        return ()
    low, high = float(padded.min()), float(padded.max())
    starts = np.unique(np.arange(_COLUMNS) * n // _COLUMNS)
    share = (np.maximum.reduceat(padded, starts, axis=1) - low) / ((high - low) or 1.0)
    return tuple(tuple(round(value, 4) for value in row) for row in share.tolist())

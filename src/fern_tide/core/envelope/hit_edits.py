"""Edits of hits by hand: some are added, moved, taken away, or as strong as somebody says.

An edit knows a hit by the time that it had, so that it holds when a sound is analyzed anew or another file is put under
its track; one whose hit is not there waits.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated

import numpy as np
import numpy.typing as npt
from pydantic import Field, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.hits import Hits

MOST_EDITS = 10_000
NEAR_S = 0.02
"""A hit this near to the time that an edit knows is the one that it knows."""
_Seconds = Annotated[float, Field(ge=-36_000, le=36_000)]


class HitEdit(Frozen, frozen=True):
    """One hit that was edited by hand.

    Attributes:
        was_s: when it was before, in seconds of its sound; None of one that is added.
        time_s: when it is now; None where that stays.
        strength: how strong it is; None where that stays. With neither a time nor a strength it is taken away.
    """

    was_s: _Seconds | None = None
    time_s: _Seconds | None = None
    strength: Annotated[float, Field(ge=0, le=1)] | None = None

    @model_validator(mode="after")
    def _of_a_hit(self) -> HitEdit:
        if self.was_s is None and self.time_s is None:
            raise InvalidParameter("hit", value="no time", allowed="the time of a hit that is there, or of a new one")
        return self

    @property
    def removes(self) -> bool:
        """Whether the hit is taken away."""
        return self.time_s is None and self.strength is None


@dataclass(frozen=True)
class EditedHits:
    """Hits after edits, ascending in time; all of shape (hits,).

    Attributes:
        times_s: when, in seconds of the project.
        strengths: how strong, 0 to 1.
        was_s: when each was before its edit, in seconds of its own sound, NaN of one that was added.
        edits: which edit each comes from; -1 of one that nobody edited.
        later_s: how much later the project counts them than their own sound.
    """

    times_s: FloatArray
    strengths: FloatArray
    was_s: FloatArray
    edits: npt.NDArray[np.int64]
    later_s: float = 0.0

    @property
    def nbytes(self) -> int:
        """How many bytes they take."""
        return sum(row.nbytes for row in (self.times_s, self.strengths, self.was_s, self.edits))


def edited(
    hits: Hits, edits: Sequence[HitEdit], *, later_s: float = 0.0, laid_s: FloatArray | None = None
) -> EditedHits:
    """Give hits with edits laid over them.

    Args:
        hits: as they are read or were performed; edits know them by these times.
        edits: in the order in which they were done.
        later_s: how much later the project counts them.
        laid_s: when each hit is, where something moved them that edits come after, such as the beat; shape (hits,).
    """
    times = (hits.times_s if laid_s is None else laid_s).copy()
    strengths, was = hits.strengths.copy(), hits.times_s.copy()
    by = np.full(len(times), -1, dtype=np.int64)
    there = np.ones(len(times), dtype=bool)
    new: list[tuple[float, float, int]] = []
    for at, edit in enumerate(edits):
        if edit.was_s is None:
            new.append((float(edit.time_s or 0.0), 1.0 if edit.strength is None else edit.strength, at))
            continue
        far = np.where(by < 0, np.abs(was - edit.was_s), np.inf)
        if not len(far) or far.min() > NEAR_S:
            continue
        place = int(np.argmin(far))
        by[place], there[place] = at, not edit.removes
        times[place] = times[place] if edit.time_s is None else edit.time_s
        strengths[place] = strengths[place] if edit.strength is None else edit.strength
    more = np.array(new, dtype=np.float64).reshape(-1, 3).T
    joined = [
        np.concatenate(pair)
        for pair in (
            (times[there], more[0]),
            (strengths[there], more[1]),
            (was[there], np.full(more.shape[1], np.nan)),
            (by[there], more[2].astype(np.int64)),
        )
    ]
    order = np.argsort(joined[0], kind="stable")
    times, strengths, was, by = (row[order] for row in joined)
    return EditedHits(times + later_s, strengths, was, by, later_s)


def moved(edits: Sequence[HitEdit], hits: EditedHits, hit_s: float, *, time_s: float) -> tuple[HitEdit, ...]:
    """Give edits with one more: the hit at a second of the project is at another one.

    Raises:
        InvalidParameter: there is no hit within NEAR_S.
    """
    return _with(edits, hits, hit_s, time_s=time_s - hits.later_s)


def added(edits: Sequence[HitEdit], hits: EditedHits, *, time_s: float, strength: float) -> tuple[HitEdit, ...]:
    """Give edits with one more: a hit that was not there, at a second of the project."""
    return (*edits, HitEdit(time_s=time_s - hits.later_s, strength=strength))


def weighed(edits: Sequence[HitEdit], hits: EditedHits, hit_s: float, *, strength: float) -> tuple[HitEdit, ...]:
    """Give edits with one more: the hit at a second of the project is so strong. Raise InvalidParameter without it."""
    return _with(edits, hits, hit_s, strength=strength)


def without(edits: Sequence[HitEdit], hits: EditedHits, hit_s: float) -> tuple[HitEdit, ...]:
    """Give edits without the hit at a second of the project. Raise InvalidParameter where there is none."""
    was, by = _of(hits, hit_s)
    rest = tuple(edit for at, edit in enumerate(edits) if at != by)
    return rest if was is None else (*rest, HitEdit(was_s=was))


def _with(edits: Sequence[HitEdit], hits: EditedHits, hit_s: float, **changes: float) -> tuple[HitEdit, ...]:
    was, by = _of(hits, hit_s)
    if by < 0:
        return (*edits, HitEdit(was_s=was).but(**changes))
    return tuple(edit.but(**changes) if at == by else edit for at, edit in enumerate(edits))


def _of(hits: EditedHits, hit_s: float) -> tuple[float | None, int]:
    """Give when the hit at a second of the project was before, and its edit."""
    far = np.abs(hits.times_s - hit_s)
    place = int(np.argmin(far)) if len(far) else 0
    if not len(far) or not far[place] <= NEAR_S:
        raise InvalidParameter("hit", value=f"none at {hit_s:.2f} s", allowed="one that is there")
    was = float(hits.was_s[place])
    return None if np.isnan(was) else was, int(hits.edits[place])

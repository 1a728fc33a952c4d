"""A mapping: an envelope's level through marks and steps to the lift of its targets."""

from __future__ import annotations

from collections.abc import Collection
from fractions import Fraction
from functools import cached_property
from typing import Annotated, Any, ClassVar, Self

import numpy as np
from pydantic import Field, model_validator

from fern_tide.core.base.limits import MOST_CHOICES, MOST_DRIVES, Most
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.registry import Choice, Registry, discover
from fern_tide.core.base.signal import FloatArray, moved
from fern_tide.core.base.target import Id, Name, Target
from fern_tide.core.envelope.envelope import row_of
from fern_tide.core.mapping import steps as steps_folder
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.marks import Marks, lift
from fern_tide.core.mapping.step import Step, StepContext

STEPS = discover(steps_folder, attribute="STEP", of=Step, kind="step")
MOST_VERSIONS = 4


class StepChoice(Choice):
    """A step and its params."""

    registry: ClassVar[Registry[Step]] = STEPS


class Tuning(Frozen, frozen=True):
    """All that makes a mapping's motion: envelope, marks, steps, and one or more targets.

    Attributes:
        row: which row of a bank is followed, counted from the lowest; a single level has but one.
        spread: whether each target follows a row of its own instead, by its rank: the first the lowest, the last the
            highest, those between what lies between.
    """

    envelope: Id
    row: Annotated[int, Field(ge=0, le=255)] = 0
    spread: bool = False
    marks: Marks
    steps: Annotated[tuple[StepChoice, ...], Most(MOST_CHOICES)] = ()
    drives: Annotated[tuple[Drive, ...], Field(min_length=1), Most(MOST_DRIVES)]
    seed: Annotated[int, Field(ge=0, lt=2**31)] = 0

    @property
    def tuning(self) -> dict[str, Any]:
        """What makes the motion, field by field, without names and versions."""
        return {name: getattr(self, name) for name in Tuning.model_fields}

    def without_reaches(self, gone: Collection[str]) -> Self:
        """Give it with drives that go by some reaches no more."""
        drives = tuple(drive.without_reaches(gone) for drive in self.drives)
        return self if drives == self.drives else self.but(drives=drives)

    @cached_property
    def _places(self) -> dict[Target, int]:
        return {drive.target: place for place, drive in reversed(list(enumerate(self.drives)))}

    def rank_of(self, drive: Drive) -> Fraction:
        """Give the place of one of the drives among the rows, 0 to 1: its rank, or evenly by their order."""
        if drive.rank is not None:
            return Fraction(drive.rank)
        return Fraction(self._places[drive.target], max(1, len(self.drives) - 1))


class Version(Tuning, frozen=True):
    """A version of a mapping that is kept to compare it with others."""

    name: Name


class Mapping(Tuning, frozen=True):
    """A tuning with a name.

    Attributes:
        muted: whether it moves nothing for now.
        versions: those that it is compared with, each under a letter.
    """

    id: Id
    name: Name
    muted: bool = False
    versions: Annotated[tuple[Version, ...], Most(MOST_VERSIONS)] = ()

    @model_validator(mode="before")
    @classmethod
    def _as_called_today(cls, data: Any) -> Any:
        """Take what projects before 0.7 call kept for what it is."""
        if not isinstance(data, dict) or "kept" not in data:
            return data
        return {"versions": data["kept"]} | {name: value for name, value in data.items() if name != "kept"}

    @property
    def needs_hits(self) -> bool:
        """Whether one of its steps asks for the hits of its track."""
        return any(choice.on and choice.spec.needs_hits(choice.params) for choice in self.steps)

    @property
    def needs_markers(self) -> bool:
        """Whether one of its steps asks for the project's markers."""
        return any(choice.on and choice.spec.needs_markers(choice.params) for choice in self.steps)

    @property
    def needs_beats(self) -> bool:
        """Whether one of its steps asks for the project's beats."""
        return any(choice.on and choice.spec.needs_beats(choice.params) for choice in self.steps)

    @property
    def uses(self) -> tuple[str, ...]:
        """The ids of the envelopes that its steps ask for, those that are off too, so that none goes missing."""
        return tuple(dict.fromkeys(name for choice in self.steps for name in choice.spec.uses(choice.params)))


def drive_lift(lift: FloatArray, mapping: Tuning, drive: Drive) -> FloatArray:
    """Give the lift that one drive of a mapping has.

    Args:
        lift: the mapping's, shape (frames,), or (rows, frames) where it is spread.
        mapping: whose drives share the rows, by their ranks or evenly by their order.
        drive: one of them.

    Returns:
        Shape (frames,), as late as the drive is; between two rows it is interpolated linearly.
    """
    own = lift if lift.ndim == 1 else _row_of(lift, mapping, drive)
    return moved(own, frames=drive.late_frames) if drive.late_frames else own


def _row_of(lift: FloatArray, mapping: Tuning, drive: Drive) -> FloatArray:
    at = float(mapping.rank_of(drive)) * (len(lift) - 1)
    low = min(int(at), len(lift) - 1)
    share = at - low
    if not share:
        return np.asarray(lift[low])
    return np.asarray(lift[low] * (1.0 - share) + lift[low + 1] * share)


def followed(level: FloatArray, mapping: Tuning) -> FloatArray:
    """Give what a mapping's lift is made of: its row of a level, or all rows where it is spread."""
    return level if mapping.spread else row_of(level, mapping.row)


def shaped_lift(level: FloatArray, mapping: Tuning, *, context: StepContext) -> FloatArray:
    """Give lift after the steps that are on, in order.

    Args:
        level: shape (..., frames), the mapping's envelope.
        mapping: its marks and steps.
        context: the project's rate, the mapping's seed, and the track's hits where a step asks for them.
    """
    return traces(level, mapping, context=context)[-1]


def traces(level: FloatArray, mapping: Tuning, *, context: StepContext) -> list[FloatArray]:
    """Give lift as the marks make it, then after each step in order; one that is off leaves it as it is.

    Args:
        level: shape (..., frames), the mapping's envelope.
        mapping: its marks and steps.
        context: as for shaped_lift.
    """
    lifts = [lift(level, marks=mapping.marks)]
    for choice in mapping.steps:
        last = lifts[-1]
        works = choice.on and last.shape[-1]
        lifts.append(STEPS[choice.id].apply(last, params=choice.params, context=context) if works else last)
    return lifts

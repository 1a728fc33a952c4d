"""A mapping: an envelope's level through marks, steps and responses to the values of its targets."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, ClassVar

import numpy as np
from pydantic import Field, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.registry import Choice, Registry, discover
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Id, Name, Target
from fern_tide.core.mapping import responses as responses_folder
from fern_tide.core.mapping import steps as steps_folder
from fern_tide.core.mapping.colour import Colour, mix_colours
from fern_tide.core.mapping.marks import Marks, lift
from fern_tide.core.mapping.response import Response
from fern_tide.core.mapping.step import Step, StepContext

STEPS = discover(steps_folder, attribute="STEP", of=Step, kind="step")
RESPONSES = discover(responses_folder, attribute="RESPONSE", of=Response, kind="response")

Number = Annotated[float, Field(ge=-1e9, le=1e9)]


class StepChoice(Choice):
    """A step and its params."""

    registry: ClassVar[Registry[Step]] = STEPS


class ResponseChoice(Choice):
    """A response and its params."""

    registry: ClassVar[Registry[Response]] = RESPONSES


class Stacking(StrEnum):
    """What a mapping does to the value that earlier mappings gave the same property."""

    REPLACE = "replace"
    ADD = "add"
    MULTIPLY = "multiply"


class Drive(Frozen, frozen=True):
    """One property that a mapping drives, with its own ends and response.

    Attributes:
        target: the property.
        rest: the value at lift 0, a number in the property's unit or a colour.
        full: the value at lift 1, of the same kind.
        response: the easing from lift to value.
        stacking: what happens to an earlier mapping's value.
    """

    target: Target
    rest: Number | Colour
    full: Number | Colour
    response: ResponseChoice = ResponseChoice(id="straight")
    stacking: Stacking = Stacking.REPLACE

    @model_validator(mode="after")
    def _of_one_kind(self) -> Drive:
        if isinstance(self.rest, str) != isinstance(self.full, str):
            raise InvalidParameter("at full", value=self.full, allowed="a number with a number, a colour with a colour")
        return self


class Mapping(Frozen, frozen=True):
    """Envelope, marks, steps, and one or more targets.

    Attributes:
        row: which row of a bank is followed, counted from the lowest; a single level has but one.
        spread: whether each target follows a row of its own instead: the first the lowest, the last the highest, those
            between what lies between.
    """

    id: Id
    name: Name
    envelope: Id
    row: Annotated[int, Field(ge=0, le=255)] = 0
    spread: bool = False
    marks: Marks
    steps: tuple[StepChoice, ...] = ()
    drives: Annotated[tuple[Drive, ...], Field(min_length=1)]
    muted: bool = False
    seed: Annotated[int, Field(ge=0, lt=2**31)] = 0

    @property
    def needs_hits(self) -> bool:
        """Whether one of its steps asks for the hits of its track."""
        return any(choice.on and choice.spec.needs_hits(choice.params) for choice in self.steps)

    @property
    def needs_beats(self) -> bool:
        """Whether one of its steps asks for the project's beats."""
        return any(choice.on and choice.spec.needs_beats(choice.params) for choice in self.steps)

    @property
    def uses(self) -> tuple[str, ...]:
        """The ids of the envelopes that its steps ask for, those that are off too, so that none goes missing."""
        return tuple(dict.fromkeys(name for choice in self.steps for name in choice.spec.uses(choice.params)))

    @property
    def versions(self) -> tuple[int, ...]:
        """The versions of the code that its numbers come from, for fingerprints."""
        return (
            *(choice.spec.version for choice in self.steps),
            *(drive.response.spec.version for drive in self.drives),
        )


def drive_lift(lift: FloatArray, mapping: Mapping, drive: Drive) -> FloatArray:
    """Give the lift that one drive of a mapping has.

    Args:
        lift: the mapping's, shape (frames,), or (rows, frames) where it is spread.
        mapping: whose drives share the rows evenly, by their order.
        drive: one of them.

    Returns:
        Shape (frames,); between two rows it is interpolated linearly.
    """
    if lift.ndim == 1:
        return lift
    place, last = mapping.drives.index(drive), max(1, len(mapping.drives) - 1)
    at = place * (len(lift) - 1) / last
    low = min(int(at), len(lift) - 1)
    share = at - low
    if not share:
        return np.asarray(lift[low])
    return np.asarray(lift[low] * (1.0 - share) + lift[low + 1] * share)


def shaped_lift(level: FloatArray, mapping: Mapping, *, context: StepContext) -> FloatArray:
    """Give lift after the steps that are on, in order.

    Args:
        level: shape (..., frames), the mapping's envelope.
        mapping: its marks and steps.
        context: the project's rate, the mapping's seed, and the track's hits where a step asks for them.
    """
    shaped = lift(level, marks=mapping.marks)
    for choice in mapping.steps:
        if choice.on and shaped.shape[-1]:
            shaped = STEPS[choice.id].apply(shaped, params=choice.params, context=context)
    return shaped


def value(shaped: FloatArray, *, drive: Drive) -> FloatArray:
    """Give rest + f(lift) * (full - rest), or the colours mixed in OKLab.

    Args:
        shaped: lift after the steps, shape (frames,).
        drive: the ends and the response.

    Returns:
        Shape (frames,) for a number; (3, frames), sRGB from 0 to 1, for a colour. Exactly rest at lift 0.
    """
    eased = RESPONSES[drive.response.id].apply(shaped, params=drive.response.params)
    if isinstance(drive.rest, str) and isinstance(drive.full, str):
        return mix_colours(drive.rest, drive.full, share=eased)
    rest, full = float(drive.rest), float(drive.full)
    return rest + eased * (full - rest)

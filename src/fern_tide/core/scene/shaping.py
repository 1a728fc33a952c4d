"""Shapers of a part: the shapes that stand for all that they can do, and how much of each is seen.

A solid's mesh is carried with fixed shapes beside it (glTF: morph targets), and what moves is how much of each is seen.
What several shapers do is added up.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Annotated, Any, ClassVar

import numpy as np
from pydantic import Field

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.registry import Choice, Registry, discover
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.scene import shapers as shapers_folder
from fern_tide.core.scene.mesh import Mesh
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.shaper import AMOUNT, PHASE, Law, Shaper

MOST_SHAPERS = 4
MOST_MOVED = 4_000_000
"""Vertices times shapes of a mesh that came with a file."""
SHAPERS = discover(shapers_folder, attribute="SHAPER", of=Shaper, kind="shaper")


class ShaperChoice(Choice):
    """A shaper and its options."""

    registry: ClassVar[Registry[Shaper]] = SHAPERS


class Shaping(Frozen, frozen=True):
    """A shaper of a part. Its amounts are properties of the part.

    Attributes:
        slot: which of the part's shapers it is: its properties are named by it, and stay its own when others go.
        shaper: which, and its options.
    """

    slot: Annotated[int, Field(ge=1, le=MOST_SHAPERS)]
    shaper: ShaperChoice

    def name(self, what: str) -> str:
        """Give the name of one of its properties, such as shaper1_amount."""
        return f"shaper{self.slot}_{what}"

    @property
    def properties(self) -> tuple[Property, ...]:
        """Its amounts."""
        items = self.shaper.spec.amounts(self.shaper.params)
        return tuple(replace(item, id=self.name(item.id)) for item in items)

    @property
    def rest(self) -> float:
        """The amount that changes nothing."""
        return float(self.properties[0].default)

    @property
    def steps(self) -> FloatArray:
        """Of a shaper with steps, the amounts of its shapes, rising; none of another."""
        return np.asarray(self.shaper.spec.steps(self.shaper.params))

    @property
    def away(self) -> FloatArray:
        """The same without the rest, which adds nothing."""
        return self.steps[np.abs(self.steps - self.rest) > 1e-9]

    def shapes(self, mesh: Mesh) -> FloatArray:
        """Give what its shapes add to a mesh, shape (shapes, vertices, 3), in metres."""
        spec, params = self.shaper.spec, self.shaper.params
        amounts = self.away if spec.law is Law.STEPS else np.array([self.rest + 1.0])
        shapes = [spec.move(mesh, params, amount=float(amount)) - mesh.positions for amount in amounts]
        if spec.quarter is not None:
            shapes.append(spec.quarter(mesh, params))
        return np.stack(shapes)

    def seen(self, values: Mapping[str, FloatArray]) -> FloatArray:
        """Give how much of each shape is seen, shape (shapes, frames).

        Args:
            values: of its properties, by their names, each of shape (frames,).
        """
        amount = values[self.name(AMOUNT)]
        match self.shaper.spec.law:
            case Law.LINE:
                return np.asarray(amount - self.rest)[np.newaxis]
            case Law.WAVE:
                phase = np.radians(values[self.name(PHASE)])
                return np.stack([amount * np.cos(phase), amount * np.sin(phase)])
        steps = self.steps
        within = np.clip(amount, steps[0], steps[-1])
        all_of_them = np.stack([np.interp(within, steps, np.eye(len(steps))[at]) for at in range(len(steps))])
        return all_of_them[np.abs(steps - self.rest) > 1e-9]

    def read(self, seen: FloatArray, baked: Mapping[str, FloatArray]) -> dict[str, FloatArray]:
        """Give its properties' values back from how much of each shape is seen.

        Args:
            seen: shape (shapes, frames).
            baked: what the values were, each of shape (frames,): a phase is read on the nearest round, and where there
                is no wave, it is that.
        """
        match self.shaper.spec.law:
            case Law.LINE:
                return {self.name(AMOUNT): seen[0] + self.rest}
            case Law.STEPS:
                return {self.name(AMOUNT): self.rest + (self.away - self.rest) @ seen}
        amount, phase = baked[self.name(AMOUNT)], baked[self.name(PHASE)]
        wave = (seen[0] + 1j * seen[1]) * np.exp(-1j * np.radians(phase))  # the amount, where nothing is off
        flat = np.abs(amount) < 1e-6
        off = np.degrees(np.angle(np.where(flat, 1.0, wave * np.sign(np.where(flat, 1.0, amount)))))
        return {self.name(AMOUNT): np.real(wave), self.name(PHASE): phase + off}


def can_be_shaped(part: Any) -> bool:
    """Say whether a part has a mesh that shapers can take."""
    kind = part.kind
    if kind.vertices is not None:
        return bool(kind.vertices(part.shape.params))
    return kind.solid is not None and kind.morphs is None


def n_moved(part: Any, shapers: Sequence[Shaping]) -> int:
    """Count the vertices that all shapes of shapers move together, of what came with a file; 0 of what is made here."""
    return 0 if part.kind.vertices is None else part.kind.vertices(part.shape.params) * n_shapes(shapers)


def check_shapers(part: Any) -> None:
    """See that a part can have its shapers.

    Args:
        part: with its kind and shapers.

    Raises:
        InvalidParameter: it has no mesh, one that cannot be shaped, or draws sound itself; the shapers need too many
            numbers; or two have one slot.
    """
    slots = [one.slot for one in part.shapers]
    if slots and not can_be_shaped(part):
        allowed = "a solid, or a part of a file brought in anew whose mesh is plain triangles without morph targets"
        raise InvalidParameter(f"shapers of {part.name}", value=part.kind.label, allowed=allowed)
    if slots:
        moved = n_moved(part, part.shapers)
        if moved > MOST_MOVED:
            allowed = f"at most {MOST_MOVED:,}: fewer shapers, a smaller most, or a coarser mesh"
            raise InvalidParameter(f"shapes times vertices of {part.name}", value=f"{moved:,}", allowed=allowed)
    if len(set(slots)) < len(slots):
        raise InvalidParameter("shaper", value=max(slots, key=slots.count), allowed="a slot that no other has")


def n_shapes(shapers: Sequence[Shaping]) -> int:
    """Count the shapes of shapers."""
    counts = {Law.LINE: 1, Law.WAVE: 2}
    return sum(counts.get(one.shaper.spec.law, len(one.away)) for one in shapers)


def shapes_of(mesh: Mesh, shapers: Sequence[Shaping]) -> FloatArray:
    """Give what all shapes of shapers add to a mesh, shape (shapes, vertices, 3)."""
    return np.concatenate([one.shapes(mesh) for one in shapers])


def seen_of(shapers: Sequence[Shaping], values: Mapping[str, FloatArray]) -> FloatArray:
    """Give how much of every shape is seen, shape (shapes, frames); see Shaping.seen."""
    return np.concatenate([one.seen(values) for one in shapers])


def read_shapers(
    shapers: Sequence[Shaping], seen: FloatArray, baked: Mapping[str, FloatArray]
) -> dict[str, FloatArray]:
    """Give the values of all shapers' properties back; see Shaping.read."""
    values: dict[str, FloatArray] = {}
    at = 0
    for one in shapers:
        count = n_shapes([one])
        values |= one.read(seen[at : at + count], baked)
        at += count
    return values

"""Shapers of a part: the shapes that stand for all that they can do, and how much of each is seen.

A solid's mesh, or a drawing's outlines (outlines.py), are carried with fixed shapes beside them (glTF: morph targets),
and what moves is how much of each is seen. What several shapers do is added up.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
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
from fern_tide.core.scene.region import Region
from fern_tide.core.scene.shaper import AMOUNT, PHASE, Law, Shaper
from fern_tide.core.scene.svg.outline import OUTLINED

MOST_SHAPERS = 4
MOST_MOVED = 4_000_000
"""Vertices times shapes of a mesh that came with a file."""
MOST_CURVES = 300_000
"""Curves times shapes of a drawing that came with a file."""
SHAPERS = discover(shapers_folder, attribute="SHAPER", of=Shaper, kind="shaper")


class ShaperChoice(Choice):
    """A shaper and its options."""

    registry: ClassVar[Registry[Shaper]] = SHAPERS


class Shaping(Frozen, frozen=True):
    """A shaper of a part. Its amounts are properties of the part.

    Attributes:
        slot: which of the part's shapers it is: its properties are named by it, and stay its own when others go.
        shaper: which, and its options.
        region: where on the part it acts.
    """

    slot: Annotated[int, Field(ge=1, le=MOST_SHAPERS)]
    shaper: ShaperChoice
    region: Annotated[Region, Field(exclude_if=lambda region: region == Region())] = Region()

    def name(self, what: str) -> str:
        """Give the name of one of its properties, such as shaper1_amount."""
        return f"shaper{self.slot}_{what}"

    def properties_in(self, space: str) -> tuple[Property, ...]:
        """Give its amounts, as they are counted in a kind of scene: a metre is 100 px."""
        items = self.shaper.spec.amounts(self.shaper.params)
        return tuple(replace(counted_in(item, space), id=self.name(item.id)) for item in items)

    @property
    def rest(self) -> float:
        """The amount that changes nothing."""
        return float(self.properties_in("3d")[0].default)

    @property
    def steps(self) -> FloatArray:
        """Of a shaper with steps, the amounts of its shapes, rising; none of another."""
        return np.asarray(self.shaper.spec.steps(self.shaper.params))

    @property
    def away(self) -> FloatArray:
        """The same without the rest, which adds nothing."""
        return self.steps[np.abs(self.steps - self.rest) > 1e-9]

    def shapes(self, mesh: Mesh) -> FloatArray:
        """Give what its shapes add to a mesh, shape (shapes, vertices, 3), in metres, or of outlines in px."""
        spec, params = self.shaper.spec, self.shaper.params
        amounts = self.away if spec.law is Law.STEPS else np.array([self.rest + 1.0])
        shapes = [spec.move(mesh, params, amount=float(amount)) - mesh.positions for amount in amounts]
        if spec.quarter is not None:
            shapes.append(spec.quarter(mesh, params))
        return np.stack(shapes) * self.region.shares(mesh.positions)[:, np.newaxis]

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


def counted_in(item: Property, space: str) -> Property:
    """Give a property as a kind of scene counts it: a length in px on a 2D stage, of which 100 are a metre."""
    if space == "3d" or item.unit != "m":
        return item
    return replace(item, unit="px", step=item.step * 100, swing=float(item.swing) * 100)


def can_be_shaped(part: Any) -> bool:
    """Say whether a part has a mesh or an outline that shapers can take."""
    kind = part.kind
    if kind.space == "2d" and not kind.in_file:
        return kind.draw is not None and kind.path is None and _is_outlined(kind.draw(part.shape.params, part.id))
    if kind.vertices is not None:
        return bool(kind.vertices(part.shape.params))
    return kind.solid is not None and kind.morphs is None


def _is_outlined(element: Any) -> bool:
    return element.slot == "own" and element.tag in OUTLINED


def n_moved(part: Any, shapers: Sequence[Shaping]) -> int:
    """Count the vertices, in 2D the curves, that all shapes of shapers move together, of what came with a file.

    0 of what is made here.
    """
    return 0 if part.kind.vertices is None else part.kind.vertices(part.shape.params) * n_shapes(shapers)


def most_moved(part: Any) -> int:
    """Give how many that may be."""
    return MOST_MOVED if part.kind.space == "3d" else MOST_CURVES


def check_shapers(parts: Iterable[Any]) -> None:
    """See that parts can have their shapers, and that no element of a drawing is shaped by what it lies in, too.

    Args:
        parts: of a scene, each after what it lies in.

    Raises:
        InvalidParameter: one of them cannot.
    """
    above: dict[str, str] = {}
    for part in parts:
        if part.shapers:
            _check(part)
        if not part.kind.in_file or part.kind.space == "3d":
            continue
        outer = above.get(part.parent or "")
        if outer is not None and part.shapers:
            allowed = f"shapers of {outer}, which it lies in, or its own"
            raise InvalidParameter(f"shapers of {part.name}", value=f"{len(part.shapers)}", allowed=allowed)
        if outer is not None or part.shapers:
            above[part.id] = outer or part.name


def _check(part: Any) -> None:
    """See that a part can have its shapers.

    Raises:
        InvalidParameter: it has no mesh or outline, one that cannot be shaped, or draws sound itself; the shapers need
            too many numbers; or two have one slot.
    """
    slots = [one.slot for one in part.shapers]
    flat = part.kind.space == "2d"
    if not can_be_shaped(part):
        allowed = "a solid, or a part of a file brought in anew whose mesh is plain triangles without morph targets"
        if flat:
            allowed = "a shape with an outline, or such elements of a drawing brought in anew"
        raise InvalidParameter(f"shapers of {part.name}", value=part.kind.label, allowed=allowed)
    moved, most = n_moved(part, part.shapers), most_moved(part)
    if moved > most:
        what, mended = ("curves", "part of it") if flat else ("vertices", "a coarser mesh")
        allowed = f"at most {most:,}: fewer shapers, a smaller most, or {mended}"
        raise InvalidParameter(f"shapes times {what} of {part.name}", value=f"{moved:,}", allowed=allowed)
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

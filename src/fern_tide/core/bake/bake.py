"""Lifts through mappings onto a scene: one dense curve for every driven property."""

from __future__ import annotations

from collections.abc import Container, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.reached import Reached, reached
from fern_tide.core.base.order import in_order
from fern_tide.core.base.signal import FloatArray, frozen
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.colour import parse_colour
from fern_tide.core.mapping.drive import Drive, Stacking, value
from fern_tide.core.mapping.mapping import Mapping as MappingModel
from fern_tide.core.mapping.mapping import drive_lift
from fern_tide.core.scene.arrays.layout import completed
from fern_tide.core.scene.follow import Limit
from fern_tide.core.scene.ground import Ground
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.scene import Part, Scene

VERSION = 3


Drivers = list[tuple[MappingModel, Drive]]


def driven(scene: Scene, mappings: Iterable[MappingModel], *, also: Iterable[Target] = ()) -> dict[Target, Drivers]:
    """List what drives each property, in stacking order; properties come in the scene's own order.

    A property that other properties give is among them, with no drivers of its own, and so is one of `also`.
    """
    drivers: dict[Target, Drivers] = {target: [] for target in (*scene.grounds, *also)}
    for mapping in mappings:
        if not mapping.muted:
            for drive in mapping.drives:
                drivers.setdefault(drive.target, []).append((mapping, drive))
    return {target: drivers[target] for target in sorted(drivers, key=scene.place)}


@dataclass(frozen=True)
class Stack:
    """All that gives one property its values: its ground, the drivers laid over that, and its limits.

    Attributes:
        target: the property.
        part: whose it is.
        item: what it is.
        drivers: those that are seen, the lowest first: one that replaces hides all below it.
        ground: what other properties make of it; None where they do not, or a driver hides that.
        limit: the range that it never leaves.
        reached: of each driver, the reaches that it goes by; None where it goes by none.
    """

    target: Target
    part: Part
    item: Property
    drivers: Drivers
    ground: Ground | None
    limit: Limit | None
    reached: tuple[Reached | None, ...] = ()

    @cached_property
    def sources(self) -> tuple[Target, ...]:
        """The properties that it is made of: those of its ground, and those of the reaches of its drivers."""
        reaches = (name for one in self.reached if one for name in one.sources)
        return tuple(dict.fromkeys((*self.rest_sources, *reaches)))

    @cached_property
    def rest_sources(self) -> tuple[Target, ...]:
        """The properties that its ground is made of, on which it depends where it rests."""
        return () if self.ground is None else tuple(dict.fromkeys(self.ground.sources))

    @property
    def made_of(self) -> tuple[object, ...]:
        """The parts of the document that its ground and reaches are made of; these are the same where those are."""
        reaches = (item for one in self.reached if one for item in one.made_of)
        return (*(() if self.ground is None else self.ground.made_of), *reaches)

    @property
    def own(self) -> float | str:
        """The part's own value, at which it stands where nothing moves it."""
        return self.part.own(self.item.id)

    @property
    def counts_own(self) -> bool:
        """Whether its values depend on the part's own value."""
        if self.ground is not None:
            return self.ground.counts_own
        return not self.drivers or self.drivers[0][1].stacking is not Stacking.REPLACE

    def values(self, lifts: Sequence[FloatArray], *, sources: Sequence[FloatArray], n_frames: int) -> FloatArray:
        """Give its values, shape (frames,), or (3, frames) for a colour.

        Args:
            lifts: of its drivers' mappings, in their order.
            sources: the values of what it is made of, in their order.
            n_frames: the project's length.
        """
        known = dict(zip(self.sources, sources, strict=True))
        nows = []
        for at, ((mapping, drive), lift) in enumerate(zip(self.drivers, lifts, strict=True)):
            within = self.reached[at] if self.reached else None
            shares = None if within is None else within.shares([known[name] for name in within.sources])
            nows.append(value(drive_lift(lift, mapping, drive), drive=drive, shares=shares))
        return self.limited(self._laid(nows, known, n_frames))

    def rest(self, *, sources: Sequence[FloatArray]) -> FloatArray:
        """Give where it stands while nothing is heard: its ground goes on, and its mappings rest.

        Args:
            sources: the values of its rest_sources.

        Returns:
            Shape (frames,), or (3, frames) for a colour; of one frame where it has no ground.
        """
        n_frames = sources[0].shape[-1] if sources else 1
        silence = np.zeros(n_frames)
        nows = [value(silence, drive=drive) for _, drive in self.drivers]
        return frozen(self._laid(nows, dict(zip(self.rest_sources, sources, strict=True)), n_frames))

    def _laid(self, nows: Iterable[FloatArray], known: Mapping[Target, FloatArray], n_frames: int) -> FloatArray:
        """Lay the values of its drivers over its ground."""
        total = None
        if self.ground is not None:
            total = self.ground.values([known[name] for name in self.ground.sources], own=self.own)
        for (_, drive), now in zip(self.drivers, nows, strict=True):
            total = laid_over(total, now, drive=drive, own=self.own)
        return _still(self.own, n_frames) if total is None else total

    def limited(self, values: FloatArray) -> FloatArray:
        """Give values of its that never leave its limits."""
        return frozen(values if self.limit is None else self.limit.hold(values))

    def curve(self, values: FloatArray) -> Curve:
        """Give its values as a curve that knows what it is."""
        item = self.item
        return Curve(self.target, self.part.name, item.label, item.unit, item.kind, values)


def stack_of(scene: Scene, target: Target, drivers: Drivers) -> Stack:
    """Give the stack of a property from all of its drivers, in stacking order.

    Raises:
        UnknownName: the scene has no such property.
    """
    part, item = scene.resolve(target)
    replacing = [at for at, (_, drive) in enumerate(drivers) if drive.stacking is Stacking.REPLACE]
    seen = drivers[replacing[-1] :] if replacing else drivers
    ground = None if replacing else scene.grounds.get(target)
    whole = completed(scene, part)
    within = tuple(None if drive.within is None else reached(scene, drive.within) for _, drive in seen)
    return Stack(target, whole, item, seen, ground, scene.limit_of(target), within if any(within) else ())


def stacks_in_order(
    scene: Scene, wanted: Mapping[Target, Drivers], targets: Iterable[Target], *, known: Container[Target] = ()
) -> list[Stack]:
    """List the stacks of properties and of those that they are made of, each after the ones that it is made of.

    Args:
        scene: resolves the targets, and says what is made of what.
        wanted: what drives each property, in stacking order.
        targets: the properties.
        known: properties that are left out where others are made of them: their values are there already.
    """
    stacks: dict[Target, Stack] = {}
    asked = dict.fromkeys(targets)

    def sources_of(target: Target) -> tuple[Target, ...]:
        stack = stacks[target] = stack_of(scene, target, wanted.get(target, []))
        return tuple(source for source in stack.sources if source in asked or source not in known)

    return [stacks[target] for target in in_order(asked, inputs=sources_of)]


def bake(
    scene: Scene,
    mappings: Sequence[MappingModel],
    *,
    lifts: Mapping[str, FloatArray],
    n_frames: int,
    only: Iterable[Target] | None = None,
) -> tuple[Curve, ...]:
    """Bake dense curves out of lifts that are there.

    Args:
        scene: resolves the targets, and says what is made of what and what is limited.
        mappings: in stacking order; muted ones are passed over.
        lifts: lift after the steps, by mapping id, of shape (frames,), or (rows, frames) of a spread mapping; of the
            unmuted mappings that take part.
        n_frames: the project's length.
        only: bake just these targets; None is all that are driven.

    Returns:
        One curve per driven property: the same document and media give the same bytes.
    """
    wanted = driven(scene, mappings)
    chosen = set(wanted if only is None else only)
    curves: dict[Target, Curve] = {}
    for stack in stacks_in_order(scene, wanted, [target for target in wanted if target in chosen]):
        sources = [curves[source].values for source in stack.sources]
        own = [lifts[mapping.id] for mapping, _ in stack.drivers]
        curves[stack.target] = stack.curve(stack.values(own, sources=sources, n_frames=n_frames))
    return tuple(curves[target] for target in wanted if target in chosen)


def _still(own: float | str, n_frames: int) -> FloatArray:
    return np.repeat(parse_colour(own)[:, np.newaxis], n_frames, 1) if isinstance(own, str) else np.full(n_frames, own)


def laid_over(below: FloatArray | None, now: FloatArray, *, drive: Drive, own: float | str) -> FloatArray:
    """Lay one mapping's values over those below it.

    Args:
        below: what earlier mappings gave, or None for the first, which lies on the part's own value.
        now: the mapping's values.
        drive: says whether they replace, are added or multiply.
        own: the part's own value.
    """
    if drive.stacking is Stacking.REPLACE:
        return now
    if below is None:
        below = parse_colour(own).reshape(3, *[1] * (now.ndim - 1)) if isinstance(own, str) else np.full_like(now, own)
    total = below + now if drive.stacking is Stacking.ADD else below * now
    return np.clip(total, 0.0, 1.0) if isinstance(own, str) else total

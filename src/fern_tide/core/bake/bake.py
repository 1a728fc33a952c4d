"""Lifts through mappings onto a scene: one dense curve for every driven property."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.signal import FloatArray, frozen
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.colour import parse_colour
from fern_tide.core.mapping.drive import Drive, Stacking, value
from fern_tide.core.mapping.mapping import Mapping as MappingModel
from fern_tide.core.mapping.mapping import drive_lift
from fern_tide.core.scene.follow import followed
from fern_tide.core.scene.scene import Scene

VERSION = 2


Drivers = list[tuple[MappingModel, Drive]]


def driven(scene: Scene, mappings: Iterable[MappingModel]) -> dict[Target, Drivers]:
    """List what drives each property, in stacking order; properties come in the scene's own order.

    A property that only follows another one is among them, with no drivers of its own.
    """
    found: dict[Target, Drivers] = {follow.target: [] for follow in scene.follows}
    for mapping in mappings:
        if not mapping.muted:
            for drive in mapping.drives:
                found.setdefault(drive.target, []).append((mapping, drive))
    return {target: found[target] for target in sorted(found, key=scene.place)}


def bake(
    scene: Scene,
    mappings: Sequence[MappingModel],
    *,
    lifts: Mapping[str, FloatArray],
    n_frames: int,
    only: Iterable[Target] | None = None,
) -> tuple[Curve, ...]:
    """Bake dense curves.

    Args:
        scene: resolves the targets, and says what follows what and what is limited.
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
    oven = _Oven(scene, wanted, lifts, n_frames)
    return tuple(oven.curve(target) for target in wanted if target in chosen)


class _Oven:
    """Bakes each property once, those that are followed before those that follow."""

    def __init__(
        self, scene: Scene, wanted: dict[Target, Drivers], lifts: Mapping[str, FloatArray], n_frames: int
    ) -> None:
        self._scene, self._wanted, self._lifts, self._n = scene, wanted, lifts, n_frames
        self._done: dict[Target, FloatArray] = {}

    def curve(self, target: Target) -> Curve:
        part, item = self._scene.resolve(target)
        return Curve(
            target=target,
            part_name=part.name,
            label=item.label,
            unit=item.unit,
            kind=item.kind,
            values=frozen(self._values(target)),
        )

    def _values(self, target: Target) -> FloatArray:
        chain = [target]
        while (follow := self._scene.follow_of(chain[-1])) is not None and follow.source not in self._done:
            chain.append(follow.source)
        for link in reversed(chain):
            if link not in self._done:
                self._done[link] = self._bake(link)
        return self._done[target]

    def _bake(self, target: Target) -> FloatArray:
        part, item = self._scene.resolve(target)
        own = part.own(item.id)
        total = self._base(target, own)
        for mapping, drive in self._wanted.get(target, ()):
            lift = drive_lift(self._lifts[mapping.id], mapping, drive)
            total = stack(total, value(lift, drive=drive), drive=drive, own=own)
        if total is None:
            total = _still(own, self._n)
        limit = self._scene.limit_of(target)
        return total if limit is None else limit.hold(total)

    def _base(self, target: Target, own: float | str) -> FloatArray | None:
        """What the mappings lie on: what the property follows, or None for its own value."""
        follow = self._scene.follow_of(target)
        if follow is None:
            return None
        source_part, source = self._scene.resolve(follow.source)
        before = source_part.own(source.id)
        numbers = (0.0, 0.0) if isinstance(own, str) or isinstance(before, str) else (own, before)
        return followed(self._done[follow.source], follow=follow, own=numbers[0], source_own=numbers[1])


def _still(own: float | str, n_frames: int) -> FloatArray:
    return np.repeat(parse_colour(own)[:, np.newaxis], n_frames, 1) if isinstance(own, str) else np.full(n_frames, own)


def stack(below: FloatArray | None, now: FloatArray, *, drive: Drive, own: float | str) -> FloatArray:
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
        below = parse_colour(own)[:, np.newaxis] if isinstance(own, str) else np.full_like(now, own)
    total = below + now if drive.stacking is Stacking.ADD else below * now
    return np.clip(total, 0.0, 1.0) if isinstance(own, str) else total

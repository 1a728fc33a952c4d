"""Lifts through mappings onto a scene: one dense curve for every driven property."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.signal import FloatArray, frozen
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.colour import parse_colour
from fern_tide.core.mapping.mapping import Drive, Stacking, value
from fern_tide.core.mapping.mapping import Mapping as MappingModel
from fern_tide.core.scene.scene import Scene

VERSION = 1


def driven(scene: Scene, mappings: Iterable[MappingModel]) -> dict[Target, list[tuple[MappingModel, Drive]]]:
    """List what drives each property, in stacking order; properties come in the scene's own order."""
    found: dict[Target, list[tuple[MappingModel, Drive]]] = {}
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
    only: Iterable[Target] | None = None,
) -> tuple[Curve, ...]:
    """Bake dense curves.

    Args:
        scene: resolves the targets.
        mappings: in stacking order; muted ones are passed over.
        lifts: lift after the steps, by mapping id, all of shape (frames,); of the unmuted mappings that take part.
        only: bake just these targets; None is all that are driven.

    Returns:
        One curve per driven property: the same document and media give the same bytes.
    """
    wanted = driven(scene, mappings)
    if only is not None:
        chosen = set(only)
        wanted = {target: drivers for target, drivers in wanted.items() if target in chosen}
    return tuple(_curve(scene, target, drivers, lifts) for target, drivers in wanted.items())


def _curve(
    scene: Scene, target: Target, drivers: list[tuple[MappingModel, Drive]], lifts: Mapping[str, FloatArray]
) -> Curve:
    part, item = scene.resolve(target)
    total: FloatArray | None = None
    for mapping, drive in drivers:
        total = stack(total, value(lifts[mapping.id], drive=drive), drive=drive, own=part.own(item.id))
    assert total is not None
    return Curve(
        target=target,
        part_name=part.name,
        label=item.label,
        unit=item.unit,
        kind=item.kind,
        values=frozen(total),
    )


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

"""Levels through mappings onto a scene: one dense curve for every driven property."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.signal import FloatArray, frozen
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.colour import parse_colour
from fern_tide.core.mapping.mapping import Drive, Stacking, shaped_lift, value
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
    places = {
        Target(part=part.id, property=item.id): place
        for place, (part, item) in enumerate((part, item) for part in scene.parts for item in part.kind.properties)
    }
    return {target: found[target] for target in sorted(found, key=lambda target: places[target])}


def bake(
    scene: Scene,
    mappings: Sequence[MappingModel],
    *,
    levels: Mapping[str, FloatArray],
    rate: FrameRate,
    only: Iterable[Target] | None = None,
) -> tuple[Curve, ...]:
    """Bake dense curves.

    Args:
        scene: resolves the targets.
        mappings: in stacking order; muted ones are passed over.
        levels: each envelope's cleaned level by its id, all of shape (frames,).
        rate: the project's frame rate.
        only: bake just these targets; None is all that are driven.

    Returns:
        One curve per driven property: the same document and media give the same bytes.
    """
    wanted = driven(scene, mappings)
    if only is not None:
        chosen = set(only)
        wanted = {target: drivers for target, drivers in wanted.items() if target in chosen}
    lifts: dict[str, FloatArray] = {}
    curves = []
    for target, drivers in wanted.items():
        part, item = scene.resolve(target)
        total: FloatArray | None = None
        for mapping, drive in drivers:
            if mapping.id not in lifts:
                lifts[mapping.id] = frozen(shaped_lift(levels[mapping.envelope], mapping, rate=rate))
            total = stack(total, value(lifts[mapping.id], drive=drive), drive=drive, own=part.own(item.id))
        assert total is not None
        curves.append(
            Curve(
                target=target,
                part_name=part.name,
                label=item.label,
                unit=item.unit,
                kind=item.kind,
                values=frozen(total),
            )
        )
    return tuple(curves)


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

"""How much of its motion a part that stands in the scene has by reaches, which are parts of their own."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from fern_tide.core.base.errors import InvalidParameter, UnknownName
from fern_tide.core.base.order import MadeOfItself, in_order
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.drive import Within
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.arrays.reach import Fading, joined
from fern_tide.core.scene.placement import in_scene
from fern_tide.core.scene.scene import Part, Scene


@dataclass(frozen=True)
class Reached:
    """The reaches that a drive goes by, as they and what they lie in stand.

    Attributes:
        parts: the reaches.
        places: where the driven part stands, as each of them counts: in what it lies in, at rest.
        made_of: the parts of the document that all this follows from.
    """

    parts: tuple[Part, ...]
    places: tuple[tuple[float, float, float], ...]
    made_of: tuple[object, ...]

    @cached_property
    def sources(self) -> tuple[Target, ...]:
        """The properties of the reaches, all that each has."""
        return tuple(Target(part=part.id, property=item.id) for part in self.parts for item in part.properties)

    @property
    def facts(self) -> Any:
        """All that it depends on but its sources' values, as plain JSON."""
        pairs = zip(self.parts, self.places, strict=True)
        return [[_fading(part).model_dump(mode="json"), place] for part, place in pairs]

    def shares(self, values: Sequence[FloatArray]) -> FloatArray | None:
        """Give how much of its motion the part has, shape (frames or 1,); None without a reach.

        Args:
            values: of the sources, in their order, each of shape (frames,).
        """
        own: dict[str, dict[str, FloatArray]] = {}
        for source, row in zip(self.sources, values, strict=True):
            own.setdefault(source.part, {})[source.property] = row
        shares = []
        for part, place in zip(self.parts, self.places, strict=True):
            fading = _fading(part)
            shares.append((fading, fading.shares(np.array(place)[:, np.newaxis, np.newaxis], own[part.id])))
        total = joined(shares)
        return None if total is None else np.asarray(total[0])


def _fading(part: Part) -> Fading:
    assert part.kind.fading is not None, part.id
    own: Fading = part.kind.fading(part.shape.params)
    return own


def _reaches(scene: Scene, names: Iterable[str]) -> Iterator[Part]:
    for name in names:
        with suppress(UnknownName):  # it is gone
            part = scene.part(name)
            if part.kind.fading is not None:
                yield part


def reached(scene: Scene, within: Within) -> Reached:
    """Give the reaches of a scene that a drive names; those that are gone count no more."""
    parts = tuple(_reaches(scene, within.reaches))
    at = (within.x, within.y, within.z)
    places = []
    for part in parts:
        if part.parent is None:
            places.append(at)
            continue
        frame = in_scene(scene.at_rest, scene.at_rest.part(part.parent))
        x, y, z, _ = np.linalg.pinv(frame) @ [*at, 1.0]
        places.append((float(x), float(y), float(z)))
    lying = any(part.parent is not None for part in parts)
    return Reached(parts, tuple(places), (*parts, scene) if lying else parts)


def moved_with(scene: Scene, mappings: Iterable[Mapping], targets: Iterable[Target]) -> set[Target]:
    """Give properties and all that is made of them, or goes by reaches that they are of, by any number of steps.

    Raises:
        MadeOfItself: there is a way from one of them back to it.
    """
    by_reach: dict[str, list[Target]] = {}
    for mapping in mappings:
        for drive in mapping.drives:
            for name in drive.within.reaches if drive.within else ():
                by_reach.setdefault(name, []).append(drive.target)
    return set(in_order(targets, inputs=lambda one: [*scene.followers(one), *by_reach.get(one.part, ())]))


def refuse_circles(scene: Scene, mappings: Iterable[Mapping]) -> None:
    """Refuse drives that go by reaches which they move.

    Raises:
        InvalidParameter: one does.
    """
    drives = [drive for mapping in mappings for drive in mapping.drives if drive.within]
    try:
        if drives:
            moved_with(scene, mappings, [drive.target for drive in drives])
    except MadeOfItself as wrong:
        part, item = scene.resolve(wrong.way[0])
        raise InvalidParameter(
            f"what {part.name}, {item.label.lower()} goes by",
            value=f"{wrong.way[1]}, which it moves",
            allowed="a reach that it does not move in turn",
        ) from wrong

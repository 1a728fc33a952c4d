"""The selected part's properties: what drives each, its slider, how it is led, its limits and what it follows."""

from __future__ import annotations

from collections.abc import Mapping as Named
from dataclasses import dataclass

from fern_tide.core.bake.bake import Drivers
from fern_tide.core.bake.pieces import is_of_pieces
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.core.envelope.readings.take import OF_HITS, TakeParams
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.arrays.field import ArrayParams
from fern_tide.core.scene.follow import Follow, Limit
from fern_tide.core.scene.graphic import is_level
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.scene import Part
from fern_tide.workflows.bring_in.takes import led_mapping

MOST_CHOICES = 400


@dataclass(frozen=True)
class Lead:
    """How a property is led by hand.

    Attributes:
        rest: its value at level 0.
        full: its value at level 1.
        into: the envelope that a take goes into, or ''.
        given: what of a take that envelope is made of, or ''.
    """

    rest: float
    full: float
    into: str = ""
    given: str = ""


@dataclass(frozen=True)
class PropertyRow:
    """A row of the selected part's properties.

    Attributes:
        item: the property.
        target: as text.
        own: the part's own value.
        drives: what drives it, with the mapping.
        ground: what gives it its values but mappings, in words, or ''.
        low: the left end of the slider.
        high: its right end.
        rest: where the tick of rest is, from 0 to 1, or None.
        full: where the tick of full is.
        lead: how it is led by hand; None where it cannot be.
    """

    item: Property
    target: str
    own: float | str
    drives: tuple[tuple[Mapping, Drive], ...]
    ground: str
    low: float
    high: float
    rest: float | None
    full: float | None
    lead: Lead | None


@dataclass(frozen=True)
class Ties:
    """Limits of a property, what it follows, and what it could follow, each as a target with words."""

    item: Property
    target: str
    limit: Limit | None
    follow: Follow | None
    choices: list[tuple[str, str]]


def property_rows(project: Project, part: Part, moved: Named[Target, Drivers]) -> tuple[PropertyRow, ...]:
    """Give the rows of a part's properties; moved is what drives each."""
    rows, params = [], part.shape.params
    sizes = {size.id for size in params.layout.spec.sizes} if isinstance(params, ArrayParams) else set()
    for item in sorted(part.properties, key=lambda item: item.id not in sizes):  # those of a layout first
        if is_level(item.id):
            continue
        target = Target(part=part.id, property=item.id)
        own = part.own(item.id)
        drives = tuple(moved.get(target, ()))
        ground = project.scene.grounds.get(target)
        words = "" if ground is None else ground.words
        low, high, rest, full = _reach(item, own, drives)
        lead = None if words or item.kind == "colour" else Lead(low, high)
        if drives:
            lead = _led_before(project, drives)
        rows.append(PropertyRow(item, str(target), own, drives, words, low, high, rest, full, lead))
    return tuple(rows)


def _led_before(project: Project, drives: tuple[tuple[Mapping, Drive], ...]) -> Lead | None:
    """Give how a property is led once more that a hand led before, and nothing else moves."""
    (mapping, drive), *others = drives
    params = project.envelope(mapping.envelope).reading.params
    plain = led_mapping(project, mapping.envelope, drive.target, rest=drive.rest, full=drive.full)
    as_led = mapping.but(id=plain.id, name=plain.name, versions=()) == plain
    if others or not as_led or not isinstance(params, TakeParams) or params.given in OF_HITS:
        return None
    return Lead(float(drive.rest), float(drive.full), mapping.envelope, str(params.given))


def _reach(
    item: Property, own: float | str, drives: tuple[tuple[Mapping, Drive], ...]
) -> tuple[float, float, float | None, float | None]:
    """Give the ends of a slider, and where rest and full lie on it; a colour has none."""
    if isinstance(own, str):
        return 0.0, 1.0, None, None
    ends = [float(value) for _, drive in drives for value in (drive.rest, drive.full)]
    if not ends:
        low, high = item.reach(own)
        full = float(item.suggest_ends(own)[1])
        return min(low, full), max(high, full), None, None
    room = 0.25 * (max(ends) - min(ends) or abs(float(item.swing)) or 1.0)
    low, high = min(ends) - room, max(ends) + room
    low = max(low, item.low) if item.low is not None else low
    high = min(high, item.high) if item.high is not None else high
    low, high = min(low, *ends), max(high, *ends)
    span = (high - low) or 1.0
    return low, high, (ends[0] - low) / span, (ends[1] - low) / span


def ties_of(project: Project, part: Part, name: str) -> Ties:
    """Limits of a property, and what it follows or could follow."""
    target, item = Target(part=part.id, property=name), part.property(name)
    choices: list[tuple[str, str]] = []
    for other in () if is_of_pieces(part, name) else project.scene.parts:
        for candidate in other.properties:
            if candidate.kind == item.kind and (other.id, candidate.id) != (part.id, name):
                choices.append((f"{other.id}:{candidate.id}", f"{other.name}, {candidate.label.lower()}"))
        if len(choices) > MOST_CHOICES:
            break
    limit, follow = project.scene.limit_of(target), project.scene.follow_of(target)
    return Ties(item=item, target=str(target), limit=limit, follow=follow, choices=choices)

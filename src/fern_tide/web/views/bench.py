"""What the Bench shows beside its plots: the selected mapping's sheet, and a lane per mapping."""

from __future__ import annotations

from collections.abc import Collection
from collections.abc import Mapping as Named
from dataclasses import dataclass

from fern_tide.core.bake.bake import Drivers
from fern_tide.core.bake.pieces import is_of_pieces
from fern_tide.core.base.target import Target
from fern_tide.core.commands.mapping import same
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import Envelope
from fern_tide.core.mapping.drive import RESPONSES, Drive, Stacking
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.response import Response
from fern_tide.core.scene.order_choice import OF_PARTS
from fern_tide.core.scene.ordering import Order
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.scene import Part
from fern_tide.store.revision import Revision
from fern_tide.web.context import services, studio
from fern_tide.web.views.first_cut import CutView, cut_view
from fern_tide.workflows.bake import baking
from fern_tide.workflows.derive.analysis import NotAnalyzedYet
from fern_tide.workflows.tune import edits, why


@dataclass(frozen=True)
class End:
    """A driven property of the selected mapping.

    Attributes:
        place: which of the mapping's drives it is.
        drive: the drive.
        part: the part that it moves.
        property: the property of that part.
    """

    place: int
    drive: Drive
    part: Part
    property: Property


@dataclass(frozen=True)
class Other:
    """Another mapping that moves the shown property.

    Attributes:
        name: its name.
        place: 'over' or 'under', where it lies to this one.
        hides: whether nothing of this one is seen for it.
    """

    name: str
    place: str
    hides: bool


@dataclass(frozen=True)
class Head:
    """What a lane says at its left and right.

    Attributes:
        mapping: the mapping.
        attention: what is odd about it, in a sentence, or ''.
        envelope: the name of the envelope that drives it.
        target: what it moves, in words.
        drive: its first drive.
        property: the property of that.
        stale: whether a curve that it moves would be another one if it were baked now.
    """

    mapping: Mapping
    attention: str
    envelope: str
    target: str
    drive: Drive
    property: Property
    stale: bool


@dataclass(frozen=True)
class BenchView:
    """What the Bench shows beside its plots.

    Attributes:
        mapping: the selected mapping; None where there is none. What follows speaks of it.
        ends: its drives; drive_place is the shown one, defaults are what rest and full would be at first.
        reason: why its marks would be suggested where they would be; None while the sound is being read.
        many: whether each of several properties, or pieces, can take a row of its own.
        shown_version: whether one of its versions is what it is now.
        attention: what is odd about it, in a sentence, or ''.
        others: the other mappings that move the shown property.
        cut: the first cut that is shown in the place of the sheet; None where none is.
        groups: the lanes under the names of their groups; as listed there is one, without a name.
    """

    revision: Revision
    mapping: Mapping | None
    envelope: Envelope | None
    ends: list[End]
    drive_place: int
    defaults: tuple[float | str, ...]
    responses: Named[str, Response]
    orders: Named[str, Order]
    reason: str | None
    many: bool
    shown_version: bool
    attention: str
    others: list[Other]
    cut: CutView | None
    groups: list[tuple[str, list[Head]]]


def bench_view(revision: Revision, *, mapping_id: str, drive: int, group: str, cut: bool) -> BenchView:
    """Give what the Bench shows.

    Args:
        revision: of which revision.
        mapping_id: the selected mapping; the first one where there is none of that id.
        drive: which of its drives is shown.
        group: how the lanes are grouped: 'sound', 'part' or as listed.
        cut: whether a first cut that is not decided is shown in the place of the sheet.
    """
    project = revision.document
    selected = next((m for m in project.mappings if m.id == mapping_id), None)
    mapping = selected or next(iter(project.mappings), None)
    ends = _ends(project, mapping) if mapping else []
    place = drive if 0 <= drive < len(ends) else 0
    stacks = services().levels.graph(project).drivers
    return BenchView(
        revision=revision,
        mapping=mapping,
        envelope=project.envelope(mapping.envelope) if mapping else None,
        ends=ends,
        drive_place=place,
        defaults=ends[place].property.suggest_ends(ends[place].part.own(ends[place].property.id)) if ends else (),
        responses=RESPONSES,
        orders=OF_PARTS,
        reason=_reason(project, mapping) if mapping else "",
        many=mapping is not None and _moves_many(project, mapping),
        shown_version=mapping is not None and any(same(mapping, version) for version in mapping.versions),
        attention=why.attention(project, mapping, stacks=stacks) if mapping else "",
        others=_others(mapping, stacks.get(mapping.drives[place].target, [])) if mapping else [],
        cut=cut_view(project) if cut else None,
        groups=_groups(project, stacks, group, baking.stale(studio(), services().levels, revision.key, project)),
    )


def _reason(project: Project, mapping: Mapping) -> str | None:
    marks, levels = mapping.marks, services().levels
    try:
        suggestion = edits.suggest(
            levels, project, envelope_id=mapping.envelope, scale=marks.scale, row=mapping.row, spread=mapping.spread
        )
    except NotAnalyzedYet:
        return None
    return suggestion.reason


def _moves_many(project: Project, mapping: Mapping) -> bool:
    """Say whether a mapping moves several properties, or the pieces of an array: each can take a row of its own."""
    target = mapping.drives[0].target
    return len(mapping.drives) > 1 or is_of_pieces(project.scene.part(target.part), target.property)


def _others(mapping: Mapping, stack: Drivers) -> list[Other]:
    own = next((at for at, (item, _) in enumerate(stack) if item.id == mapping.id), len(stack))
    return [
        Other(item.name, "over" if at < own else "under", at > own and drive.stacking is Stacking.REPLACE)
        for at, (item, drive) in enumerate(stack)
        if at != own
    ]


def _groups(
    project: Project, stacks: dict[Target, Drivers], how: str, stale: Collection[Target]
) -> list[tuple[str, list[Head]]]:
    heads = [_head(project, item, stacks, stale) for item in project.mappings]
    if how not in {"sound", "part"}:
        return [("", heads)] if heads else []
    groups: dict[str, list[Head]] = {}
    for head in heads:
        part = project.scene.part(head.drive.target.part).name
        groups.setdefault(head.envelope if how == "sound" else part, []).append(head)
    return list(groups.items())


def _ends(project: Project, mapping: Mapping) -> list[End]:
    return [End(place, drive, *project.scene.resolve(drive.target)) for place, drive in enumerate(mapping.drives)]


def _head(project: Project, mapping: Mapping, stacks: dict[Target, Drivers], stale: Collection[Target]) -> Head:
    ends = _ends(project, mapping)
    parts = {end.part.name for end in ends}
    labels = ", ".join(sorted({end.property.label for end in ends})).lower()
    return Head(
        mapping=mapping,
        attention=why.attention(project, mapping, stacks=stacks),
        envelope=project.envelope(mapping.envelope).name,
        target=f"{ends[0].part.name if len(parts) == 1 else f'{len(parts)} parts'}, {labels}",
        drive=ends[0].drive,
        property=ends[0].property,
        stale=any(drive.target in stale for drive in mapping.drives),
    )

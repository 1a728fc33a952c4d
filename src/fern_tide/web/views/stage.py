"""What the Stage shows beside the scene: the tree of its parts, and every property of the selected one."""

from __future__ import annotations

from collections.abc import Mapping as Named
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.envelope import READINGS, Envelope
from fern_tide.core.envelope.reading import Reading
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.arrays.field import LAYOUTS
from fern_tide.core.scene.graphic import is_level
from fern_tide.core.scene.scene import PART_KINDS, Part, Scene, SceneFile
from fern_tide.store.revision import Revision
from fern_tide.web.context import services, staged
from fern_tide.web.heads import head
from fern_tide.web.views.array_sheet import ArraySheet, array_sheet
from fern_tide.web.views.dial_sheet import DialSheet, dial_sheet
from fern_tide.web.views.poses_sheet import PosesSheet, poses_sheet, row_of
from fern_tide.web.views.properties import MOST_CHOICES, PropertyRow, Ties, property_rows, ties_of
from fern_tide.web.views.reach_sheet import ReachSheet, reach_sheet
from fern_tide.web.views.several import SeveralView, parts_of, several_view
from fern_tide.web.views.shapers_sheet import ShapersSheet, shapers_sheet
from fern_tide.web.views.tree import Look, Rows, chosen_ids, chosen_part, rows_of
from fern_tide.web.views.way_sheet import RideSheet, WaySheet, ride_sheet, way_head, way_sheet
from fern_tide.workflows.tune import make_part
from fern_tide.workflows.tune.several import Line
from fern_tide.workflows.tune.squash import Squash, squash_of


@dataclass(frozen=True)
class Offer:
    """What can be added to a stage: a kind of part, or an array with a layout."""

    id: str
    label: str
    help: str


@dataclass(frozen=True)
class Graphic:
    """What draws a sound graphic: its mappings, and how many levels it has."""

    mappings: Sequence[Mapping]
    levels: int


@dataclass(frozen=True)
class StageRoomView:
    """What the Stage shows beside the scene itself.

    Attributes:
        part: the selected part; None on an empty stage. What follows speaks of it.
        rows: the rows of the tree that are shown; find is what is searched, and larger whether
            small parts are left out.
        head: what the page knows of the part, to show values in the drawing.
        chosen: the property whose limits and follow are shown, as tied has them; '' and None where none is.
        file: the file that it came from.
        graphic: what draws it, where it is a sound graphic.
        groups: those that it could go into.
        squash: squash and stretch of it.
        place: which of its neighbours it is, from behind.
        solid_anchors: anchors by their words, where its solid knows them.
        n_driven_parts: how many parts are driven.
        kinds: what can be added.
        track: whose waveform is shown.
        live_tracks: those that what is heard live can be in place of, by id and name.
        several: the parts that are chosen together; None for fewer than two.
        chosen_ids: the ids of all that is chosen.
        array: what it is, where it is an array; dial, where it is a dial; way and reach the same.
        ride: how it moves along a way; way_head is what the page draws that with.
        poses: its poses, where it has any; posed_by is the row of poses that it is in.
        shapers: what shapes it, where it is a solid.
    """

    revision: Revision
    scene: Scene
    part: Part | None
    rows: Rows
    find: str
    larger: bool
    properties: tuple[PropertyRow, ...]
    head: dict[str, Any] | None
    chosen: str
    ties: Ties | None
    readings: Named[str, Reading]
    n_driven_parts: int
    kinds: list[Offer]
    file: SceneFile | None
    envelopes: tuple[Envelope, ...]
    graphic: Graphic | None
    groups: list[Part]
    squash: Squash | None
    place: int
    solid_anchors: dict[str, dict[str, Any]]
    track: Track | None
    live_tracks: list[dict[str, str]]
    several: SeveralView | None
    chosen_ids: frozenset[str]
    array: ArraySheet | None
    dial: DialSheet | None
    way: WaySheet | None
    reach: ReachSheet | None
    ride: RideSheet | None
    poses: PosesSheet | None
    shapers: ShapersSheet | None
    posed_by: Part | None
    way_head: dict[str, Any] | None


def stage_view(
    revision: Revision, *, part_id: str, look: Look, chosen: str, parts: Sequence[str], line: Line
) -> StageRoomView:
    """Give what the Stage shows.

    Args:
        revision: of which revision.
        part_id: the selected part; the first one where there is none of that id.
        look: how the tree is looked at.
        chosen: the property whose limits are shown.
        parts: the parts that are chosen together; fewer than two are none.
        line: how those are put in a row.
    """
    project = revision.document
    scene = project.scene
    part, together = chosen_part(scene, part_id), parts_of(scene, parts)
    moved = services().levels.graph(project).drivers
    has_chosen = part is not None and part.has(chosen)
    return StageRoomView(
        revision=revision,
        live_tracks=[{"id": track.id, "name": track.name} for track in project.tracks if track.drives],
        scene=scene,
        part=part,
        rows=rows_of(staged(scene), part, moved, look=look),
        find=look.find,
        larger=look.larger,
        properties=property_rows(project, part, moved) if part else (),
        head=head(staged(scene), part) if part else None,
        chosen=chosen if has_chosen else "",
        ties=ties_of(project, part, chosen) if part and has_chosen else None,
        readings=READINGS,
        n_driven_parts=len({target.part for target in moved}),
        kinds=_offers(scene),
        file=_file(scene, part),
        envelopes=project.envelopes,
        graphic=_graphic(project, part) if part else None,
        groups=_groups(scene, part) if part else [],
        squash=squash_of(scene, part) if part else None,
        place=[item.id for item in scene.parts if item.parent == part.parent].index(part.id) if part else 0,
        solid_anchors={w: a.model_dump() for w, a in make_part.middle_of(part).items()} if part else {},
        track=next(iter(project.tracks), None),
        several=several_view(project, together, line=line),
        chosen_ids=chosen_ids(part, together),
        array=array_sheet(scene, part) if part else None,
        dial=dial_sheet(part) if part else None,
        way=way_sheet(part) if part else None,
        reach=reach_sheet(project, part) if part else None,
        ride=ride_sheet(scene, part, media=staged(scene).media) if part else None,
        poses=poses_sheet(scene, part) if part else None,
        shapers=shapers_sheet(staged(scene), part) if part else None,
        posed_by=row_of(scene, part) if part else None,
        way_head=way_head(scene, part) if part else None,
    )


def _graphic(project: Project, part: Part) -> Graphic | None:
    """What draws a sound graphic; None for other parts."""
    if not any(is_level(item.id) for item in part.properties):
        return None
    return Graphic(make_part.drawing(project, part.id), sum(is_level(item.id) for item in part.properties))


def _groups(scene: Scene, part: Part) -> list[Part]:
    """The groups that a part could go into: all but those inside it."""
    inside = {item.id for item in scene.branch(part.id)}
    return [item for item in scene.parts if item.kind.holds and item.id not in inside][:MOST_CHOICES]


def _file(scene: Scene, part: Part | None) -> SceneFile | None:
    file = getattr(part.shape.params, "file", None) if part else None
    return scene.file(file) if file else None


def _offers(scene: Scene) -> list[Offer]:
    offers = []
    for kind in PART_KINDS.values():
        if kind.offered and kind.space == scene.kind:
            offers.append(Offer(kind.id, kind.label, kind.help))
            if kind.pieces:
                thrown = [spec for spec in LAYOUTS.values() if spec.throws is not None]
                offers += [Offer(f"{kind.id}:{spec.id}", spec.label, spec.help) for spec in thrown]
    return offers

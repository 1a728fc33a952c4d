"""Edits of a first cut: it is taken, kept without what was refused, or goes as it came."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.limits import MOST_PARTS, Most
from fern_tide.core.base.target import Id
from fern_tide.core.commands.command import Command, put
from fern_tide.core.commands.several import SetAnchors
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import Envelope
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.first_cut import MOST_PROPOSED, FirstCut
from fern_tide.core.scene.part import Anchor


class TakeFirstCut(Command, frozen=True):
    """Add what a first cut proposes; one that is not decided goes first.

    Attributes:
        cut: what is proposed.
        envelopes: those that are new.
        mappings: all of its mappings.
        anchors: of parts whose anchor is moved first.
        beats_of: the track in which beats are found from now on, also when the cut goes; None leaves them.
    """

    kind: Literal["take_first_cut"] = "take_first_cut"
    cut: FirstCut
    envelopes: Annotated[tuple[Envelope, ...], Most(MOST_PROPOSED)] = ()
    mappings: Annotated[tuple[Mapping, ...], Most(MOST_PROPOSED)] = ()
    anchors: Annotated[dict[Id, Anchor], Most(MOST_PARTS)] = Field(default_factory=dict)
    beats_of: Id | None = None

    def label(self, before: Project) -> str:
        return f"Make a first cut of {before.name}"[:120]

    def apply(self, project: Project) -> Project:
        project = without_cut(project)
        if self.beats_of is not None:
            project = with_beats_of(project, project.track(self.beats_of).id)
        before = {part_id: project.scene.part(part_id).anchor for part_id in self.anchors}
        if self.anchors:
            project = SetAnchors(anchors=self.anchors).apply(project)
        envelopes, mappings = project.envelopes, project.mappings
        for envelope in self.envelopes:
            envelopes = put(envelopes, envelope)
        for mapping in self.mappings:
            mappings = put(mappings, mapping)
        cut = self.cut.but(waits=False, envelopes=tuple(item.id for item in self.envelopes), anchors=before)
        return project.but(envelopes=envelopes, mappings=mappings, first_cut=cut)


class KeepFirstCut(Command, frozen=True):
    """Keep what a first cut proposes and is not muted; the rest of it goes."""

    kind: Literal["keep_first_cut"] = "keep_first_cut"

    def label(self, before: Project) -> str:
        return f"Keep the first cut of {before.name}"[:120]

    def apply(self, project: Project) -> Project:
        cut = _cut_of(project)
        proposed = {item.mapping for item in cut.items}
        refused = {item.id for item in project.mappings if item.id in proposed and item.muted}
        return _cleared(project, refused).but(first_cut=None)


class DropFirstCut(Command, frozen=True):
    """Start empty: all that a first cut brought goes."""

    kind: Literal["drop_first_cut"] = "drop_first_cut"

    def label(self, before: Project) -> str:
        return f"Start {before.name} empty"[:120]

    def apply(self, project: Project) -> Project:
        _cut_of(project)
        return without_cut(project).but(first_cut=None)


def with_beats_of(project: Project, track_id: str) -> Project:
    """Give a document whose beats are found in another track."""
    return project.but(beat=project.beat.model_copy(update={"track": track_id}))


def without_cut(project: Project) -> Project:
    """Give a document without what its undecided first cut brought, its anchors where they were."""
    if project.first_cut is None:
        return project
    cut = project.first_cut
    project = _cleared(project, {item.mapping for item in cut.items})
    there = {part.id for part in project.scene.parts}
    anchors = {part_id: anchor for part_id, anchor in cut.anchors.items() if part_id in there}
    return SetAnchors(anchors=anchors).apply(project) if anchors else project


def _cleared(project: Project, gone: set[str]) -> Project:
    """Take mappings out, and the envelopes that came with the cut and that nothing follows any more."""
    mappings = tuple(item for item in project.mappings if item.id not in gone)
    used = {name for item in mappings for name in (item.envelope, *item.uses)}
    used |= {name for item in project.envelopes for name in item.uses}
    came = set() if project.first_cut is None else set(project.first_cut.envelopes)
    envelopes = tuple(item for item in project.envelopes if item.id not in came or item.id in used)
    return project.but(mappings=mappings, envelopes=envelopes)


def _cut_of(project: Project) -> FirstCut:
    if project.first_cut is None:
        raise FernTideError("There is no first cut to decide on.", remedy="It was kept, or taken back, already.")
    return project.first_cut

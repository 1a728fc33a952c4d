"""A first cut in a project: made when its sound is read, made otherwise, kept, or gone; and suggestions."""

from __future__ import annotations

from collections.abc import Collection

from fern_tide.core.commands.command import Command
from fern_tide.core.commands.first_cut import DropFirstCut, TakeFirstCut, with_beats_of, without_cut
from fern_tide.core.commands.mapping import PutMapping
from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.commands.registry import Together
from fern_tide.core.commands.several import SetAnchors
from fern_tide.core.document import Project
from fern_tide.core.first_cut.beat_track import surest_beats
from fern_tide.core.first_cut.first_cut import Ground, Proposal, propose, suggest
from fern_tide.core.scene.own_motion import moved_by_file
from fern_tide.store.revision import Revision
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.derive.stages import Staged
from fern_tide.workflows.studio import Studio

SUGGESTED = 3


def ground_of(staged: Staged, *, only: Collection[str] = frozenset()) -> Ground:
    """Look at a scene: where its parts are, and which of them their file moves; `only` names parts that are meant."""
    return Ground(staged.extents, moved_by_file(staged.scene, media=staged.media), only)


def wait_for_sound(studio: Studio, project: Project) -> None:
    """Let a project's sounds be read first, all that is needed in one pass.

    Raises:
        NotAnalyzedYet: they are being read, or could not be.
    """
    jobs = analysis.ensure(studio, project)
    if jobs:
        raise analysis.NotAnalyzedYet(jobs)


def first_cut(levels: Levels, project: Project, *, staged: Staged, seed: int) -> TakeFirstCut:
    """Give the edit that makes a first cut, by the surest beats; one that is not decided goes first.

    Raises:
        NotAnalyzedYet: what it listens to is still being read.
    """
    bare = without_cut(project)
    surest = surest_beats(bare, levels)
    by_beats = bare if surest is None else with_beats_of(bare, surest.id)
    proposal = propose(by_beats, levels, ground=ground_of(staged), seed=seed)
    return TakeFirstCut(
        cut=proposal.cut,
        envelopes=proposal.envelopes,
        mappings=proposal.mappings,
        anchors=dict(proposal.anchors),
        beats_of=None if surest is None else surest.id,
    )


def decide(studio: Studio, key: str, command: Command, *, base: int) -> Revision:
    """Store an edit of a first cut.

    A cut that nothing was changed on since gives way to what is decided, so that one undo takes all of it back.

    Raises:
        Conflict: the project has been changed since.
    """
    current = studio.projects.at(key, base)
    document, cut = command.apply(current.document), current.document.first_cut
    waits = cut is not None and cut.waits and isinstance(command, DropFirstCut)  # nothing was made to be taken back
    label = command.label(current.document) if not waits else current.undo or "Start the project"
    instead = waits or _is_cut(studio, current)
    revision = studio.projects.save(key, document, base=base, label=label, instead=instead)
    analysis.ensure(studio, document)
    return revision


def _is_cut(studio: Studio, current: Revision) -> bool:
    """Say whether the current revision is the one that took its first cut: the one before it had not that cut."""
    before, cut = studio.projects.before(current.key), current.document.first_cut
    return before is not None and cut is not None and not cut.waits and before.first_cut != cut


def suggestions(
    levels: Levels, project: Project, *, staged: Staged, parts: Collection[str], envelope: str | None
) -> list[tuple[str, str, Command]]:
    """Suggest what parts could do, or what an envelope could move.

    Returns:
        At most three: what happens, why, and the edit that lets it.

    Raises:
        UnknownName: there is no such envelope.
        NotAnalyzedYet: what it listens to is still being read.
    """
    chosen = None if envelope is None else project.envelope(envelope)
    proposal = suggest(project, levels, ground=ground_of(staged, only=parts), envelope=chosen, most=SUGGESTED)
    return [
        (item.words, item.reason, _edit_of(proposal, mapping_id=item.mapping, words=item.words))
        for item in proposal.cut.items
    ]


def _edit_of(proposal: Proposal, *, mapping_id: str, words: str) -> Command:
    mapping = next(item for item in proposal.mappings if item.id == mapping_id)
    parts = {drive.target.part for drive in mapping.drives}
    moved = {part: anchor for part, anchor in proposal.anchors.items() if part in parts}
    anchors = [SetAnchors(anchors=moved)] if moved else []
    envelopes = [PutEnvelope(envelope=item) for item in proposal.envelopes if item.id == mapping.envelope]
    return Together(words=f"Let {words}"[:120], commands=(*anchors, *envelopes, PutMapping(mapping=mapping)))

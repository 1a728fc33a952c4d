"""What a first cut shows: what it proposes, each with its reason, its curve, and whether it is refused."""

from __future__ import annotations

from dataclasses import dataclass

from fern_tide.core.document import Project
from fern_tide.core.first_cut.listening import tracks_of
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.web import pictures
from fern_tide.web.context import services
from fern_tide.workflows.derive.analysis import NotAnalyzedYet
from fern_tide.workflows.tune import edits


@dataclass(frozen=True)
class ProposedRow:
    """One proposed mapping.

    Attributes:
        mapping: as it stands in the document.
        words: what happens.
        reason: why, with numbers.
        envelope: the name of what it follows.
        target: what it moves, in words.
        picture: the points of two polylines: level and motion; None while the sound is being read.
        parts: the ids of what it moves.
    """

    mapping: Mapping
    words: str
    reason: str
    envelope: str
    target: str
    picture: tuple[str, str] | None
    parts: tuple[str, ...]


@dataclass(frozen=True)
class CutView:
    """A first cut that is not decided.

    Attributes:
        waits: whether the sound is still being read.
        rows: what is proposed and still there.
        accepted: how many of them are not refused.
        seed: of this one.
        sound: the name of what it was made of.
        reason: why there is nothing.
    """

    waits: bool
    rows: list[ProposedRow]
    accepted: int
    seed: int
    sound: str
    reason: str


def cut_view(project: Project) -> CutView | None:
    """Give what the Bench shows of a project's first cut; None where there is none to decide on."""
    cut = project.first_cut
    if cut is None:
        return None
    there = {mapping.id: mapping for mapping in project.mappings}
    rows = [_row(project, there[item.mapping], item.words, item.reason) for item in cut.items if item.mapping in there]
    names = [track.name for track in tracks_of(project)]
    return CutView(
        waits=cut.waits,
        rows=rows,
        accepted=sum(not row.mapping.muted for row in rows),
        seed=cut.seed,
        sound=f"{len(names)} tracks" if len(names) > 1 else (names or [project.name])[0],
        reason=cut.reason,
    )


def _row(project: Project, mapping: Mapping, words: str, reason: str) -> ProposedRow:
    targets = [project.scene.resolve(drive.target) for drive in mapping.drives]
    labels = list(dict.fromkeys(item.label.lower() for _, item in targets))
    parts = list(dict.fromkeys(part.name for part, _ in targets))
    whose = parts[0] if len(parts) == 1 else f"{len(parts)} parts"
    return ProposedRow(
        mapping=mapping,
        words=words,
        reason=reason,
        envelope=project.envelope(mapping.envelope).name,
        target=f"{whose}, {' and '.join(labels[:2])}",
        picture=_picture(project, mapping),
        parts=tuple(dict.fromkeys(drive.target.part for drive in mapping.drives)),
    )


def _picture(project: Project, mapping: Mapping) -> tuple[str, str] | None:
    levels = services().levels.under_the_hand
    try:
        return pictures.curve_picture(
            levels.followed(project, mapping), edits.lane_lift(levels, project, mapping.but(muted=False))
        )
    except NotAnalyzedYet:
        return None

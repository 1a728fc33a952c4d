"""Parts chosen together: what they share, in which order they are, and one mapping that moves each of them."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.naming import fresh_id, lowered, plural
from fern_tide.core.base.target import Target
from fern_tide.core.commands.command import Command
from fern_tide.core.commands.mapping import PutMapping
from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.commands.registry import Together
from fern_tide.core.commands.several import GatherParts, RenameParts
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import Envelope
from fern_tide.core.first_cut.ear import bank_of
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.marks import Scale
from fern_tide.core.scene.alike import all_like, all_others, between, enclosed, without_number
from fern_tide.core.scene.graphic import is_level
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.ranks import ranks_of
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.selection import MOST_CHOSEN
from fern_tide.core.scene.svg.bounds import joined
from fern_tide.core.scene.svg.geometry import Box
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.derive.stages import Staged
from fern_tide.workflows.tune import edits
from fern_tide.workflows.tune.anchoring import middle_in_space

_MOST_ROWS = 128  # of a bank


class Takes(StrEnum):
    """What each of several parts takes of the sound."""

    ROW = "row"
    LATER = "later"
    SAME = "same"


@dataclass(frozen=True)
class Line:
    """How several parts are put in a row, and what each takes.

    Attributes:
        order: the id of an order.
        backwards: whether the first is the last.
        takes: a row of a bank each, the same level later and later, or the same for all.
        late_frames: with LATER, how many frames the last is later than the first.
        first: how much of the motion the first has, as a factor; last the last; between them it goes evenly.
    """

    order: str = "x"
    backwards: bool = False
    takes: Takes = Takes.ROW
    late_frames: float = 12.0
    first: float = 1.0
    last: float = 1.0

    def share(self, rank: float) -> float:
        """Give how much of the motion a part of a rank has."""
        return round(self.first + rank * (self.last - self.first), 6)


class Choosing(StrEnum):
    """How parts are chosen together: like one, from one to another, by nodes, within a box, or all others."""

    ALIKE = "alike"
    RANGE = "range"
    NODES = "nodes"
    BOX = "box"
    OTHERS = "others"


def chosen(
    staged: Staged, *, how: Choosing, parts: Sequence[str], box: Box | None = None, nodes: Collection[int] = ()
) -> tuple[list[str], int]:
    """Choose parts; 2000 at most.

    Args:
        staged: the scene.
        how: like the first 20 of the parts that are given, from the first to the last of them, within a box, or all but
            them.
        parts: what is chosen now.
        box: left, top, right and bottom in shares of the stage.
        nodes: of the stage's glTF file, such as those that lie in a box on the screen.

    Returns:
        Their ids, in the order of the tree, and how many there would be without the limit.

    Raises:
        UnknownName: one of the parts is not there.
        InvalidParameter: there is no box.
    """
    scene, extents = staged.scene, staged.extents
    if how is Choosing.OTHERS:
        ids = all_others(scene, frozenset(parts), extents=extents)
    elif how is Choosing.ALIKE:
        like = {other for part in parts[:20] for other in all_like(scene, part, extents=extents)}
        ids = [part.id for part in scene.parts if part.id in like]
    elif how is Choosing.RANGE:
        ids = between(scene, parts[0], parts[-1]) if parts else []
    elif how is Choosing.NODES:
        ids = _outermost(staged, set(nodes))
    elif box is None:
        raise InvalidParameter("box", value="missing", allowed="four shares of the stage")
    else:
        ids = enclosed(scene, box, extents=extents)
    return ids[:MOST_CHOSEN], len(ids)


def _outermost(staged: Staged, nodes: Collection[int]) -> list[str]:
    """List the parts of nodes, but for those that lie in another one that is listed: they move with it."""
    inside: dict[str | None, bool] = {None: False}
    listed_ids = []
    for part in staged.scene.parts:
        meant = staged.built.places.get(part.id, {}).get("node") in nodes and part.has("x")
        if meant and not inside[part.parent]:
            listed_ids.append(part.id)
        inside[part.id] = meant or inside[part.parent]
    return listed_ids


def shared(parts: Sequence[Part]) -> list[Property]:
    """List the properties that all of several parts have, in the order of the first part's."""
    names = set.intersection(*({item.id for item in part.properties} for part in parts)) if parts else set()
    return [item for item in parts[0].properties if item.id in names and not is_level(item.id)] if parts else []


def in_line(staged: Staged, parts: Sequence[str], *, line: Line) -> list[tuple[str, float]]:
    """Give parts in their order with their ranks, 0 for the first to 1 for the last.

    Raises:
        UnknownName: there is no such order.
    """
    ranks = ranks_of(parts, order=line.order, extents=staged.extents, backwards=line.backwards).tolist()
    return sorted(zip(parts, ranks, strict=True), key=lambda item: item[1])


def drive_all(
    levels: Levels, project: Project, *, staged: Staged, parts: Sequence[str], name: str, line: Line
) -> Together:
    """Let one mapping move the same property of several parts, each from its own rest.

    Args:
        levels: reads the sound, to know where the marks go.
        project: the document.
        staged: its scene.
        parts: which; each has the property.
        name: the property.
        line: their order, and what each takes.

    Raises:
        InvalidParameter: there is nothing to move, or no sound.
        UnknownName: a part or the property is not there.
        NotAnalyzedYet: the sound is still being read.
    """
    if not parts:
        raise InvalidParameter("parts", value=0, allowed="one or more")
    envelopes, envelope = _envelope(project, line.takes, rows=len(parts))
    with_it = project.but(envelopes=(*project.envelopes, *envelopes))
    rows = line.takes is Takes.ROW
    marks = edits.suggest(levels, with_it, envelope_id=envelope.id, scale=Scale.LINEAR, spread=rows).marks
    words = group_words([project.scene.part(part) for part in parts])
    label = project.scene.part(parts[0]).property(name).label.lower()
    mapping_name = f"{words} {label}"[:120]
    mapping = Mapping(
        id=fresh_id(mapping_name, among=project.mappings),
        name=mapping_name,
        envelope=envelope.id,
        spread=rows,
        marks=marks,
        drives=_drives(project, in_line(staged, parts, line=line), name, line),
    )
    puts: list[Command] = [PutEnvelope(envelope=item) for item in envelopes]
    return Together(words=f"Drive the {label} of {words}"[:120], commands=(*puts, PutMapping(mapping=mapping)))


def _drives(project: Project, ordered: Sequence[tuple[str, float]], name: str, line: Line) -> tuple[Drive, ...]:
    """Give a drive for each part; all go along with the first, each from its own rest."""
    drives: list[Drive] = []
    for part_id, rank in ordered:
        part = project.scene.part(part_id)
        item = part.property(name)
        rest, full = item.suggest_ends(part.own(name))
        late = rank * line.late_frames if line.takes is Takes.LATER else 0.0
        along = drives[0].target if drives else None
        target = Target(part=part_id, property=name)
        own = Drive(target=target, rest=rest, full=full, rank=rank, late_frames=late, along=along)
        drives.append(own.but(share=line.share(rank)))
    return tuple(drives)


def _envelope(project: Project, takes: Takes, *, rows: int) -> tuple[list[Envelope], Envelope]:
    """Find what several parts take: a bank with a row for each, made where there is none, or the first envelope."""
    if takes is not Takes.ROW:
        if not project.envelopes:
            raise InvalidParameter("envelope", value="missing", allowed="a sound first: add one in the Sound room")
        single = (item for item in project.envelopes if len(item.rows) < 2)
        return [], next(single, project.envelopes[0])
    track = next((item for item in project.tracks if item.drives), None)
    if track is None:
        raise InvalidParameter("track", value="missing", allowed="a sound first: add one in the Sound room")
    bank = bank_of(track, rows, most=_MOST_ROWS)
    same = next((item for item in project.envelopes if item.same_level(bank)), None)
    if same is not None:
        return [], same
    bank = bank.but(id=fresh_id(bank.name, among=project.envelopes))
    return [bank], bank


def reordered(project: Project, mapping: Mapping, *, staged: Staged, line: Line) -> PutMapping:
    """Put the parts that a mapping moves in another order: those with a rank change theirs, and how late they are.

    Raises:
        FernTideError: it moves no parts in a row.
    """
    ranked = [drive for drive in mapping.drives if drive.rank is not None]
    if len(ranked) < 2:
        raise FernTideError(f"{mapping.name} moves no parts in a row.", remedy="Choose several parts on the Stage.")
    late = max(drive.late_frames for drive in ranked) - min(drive.late_frames for drive in ranked)
    first = min(drive.late_frames for drive in ranked)
    ends = sorted(ranked, key=lambda drive: drive.rank or 0.0)
    weighed = replace(line, first=ends[0].share, last=ends[-1].share)
    ranks = dict(in_line(staged, [drive.target.part for drive in ranked], line=line))
    drives = []
    for drive in mapping.drives:
        if drive.rank is None:
            drives.append(drive)
        else:
            rank = ranks[drive.target.part]
            when = first + late * rank if late else drive.late_frames
            drives.append(drive.but(rank=rank, late_frames=when, share=weighed.share(rank)))
    return PutMapping(mapping=mapping.but(drives=tuple(drives)))


def group_words(parts: Sequence[Part]) -> str:
    """Name several parts: '20 bars' where their names differ by a number, else '20 parts'."""
    stems = {without_number(part.name) for part in parts}
    if len(parts) == 1:
        return parts[0].name
    if len(stems) == 1 and (stem := next(iter(stems))):
        return f"{len(parts)} {lowered(plural(stem))}"[:80]
    return f"{len(parts)} parts"


def gather(staged: Staged, parts: Sequence[str]) -> GatherParts:
    """Put parts together under what they are called, so that they move as one about the middle of them all.

    Args:
        staged: the scene.
        parts: which.
    """
    scene = staged.scene
    members = [scene.part(part) for part in parts]
    anchor = middle_in_space(staged, members) if scene.kind == "3d" else _middle(staged, members)
    words = group_words(members)
    name = words[0].upper() + words[1:]
    return GatherParts(id=fresh_id(name, among=scene.parts), parts=tuple(parts), name=name, anchor=anchor)


def _middle(staged: Staged, members: Sequence[Part]) -> Anchor:
    box = joined([staged.extents[part.id].standing(part) for part in members if part.id in staged.extents])
    if box is None:
        return Anchor()
    left, top, right, bottom = box
    return Anchor(x=round((left + right) / 2, 4), y=round((top + bottom) / 2, 4))


def renamed(staged: Staged, parts: Sequence[str], *, name: str, line: Line) -> RenameParts:
    """Give several parts one name with a number each, in their order: 'Bar' gives 'Bar 1', 'Bar 2'.

    Raises:
        InvalidParameter: the name is empty.
    """
    stem = without_number(name.strip())[:110]
    if not stem:
        raise InvalidParameter("name", value=name, allowed="a name with a letter in it")
    ordered = in_line(staged, parts, line=line)
    return RenameParts(names={part: f"{stem} {number}" for number, (part, _) in enumerate(ordered, 1)})

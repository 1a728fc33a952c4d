"""A first cut: three to six mappings proposed from what the sound and the scene are, each with its reason."""

from __future__ import annotations

import zlib
from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from fern_tide.core.base.naming import Ids
from fern_tide.core.base.registry import discover
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import Envelope
from fern_tide.core.first_cut import rules as rules_folder
from fern_tide.core.first_cut.checking import (
    gentler,
    in_time,
    is_calm,
    rests_in_silence,
    stays_on_stage,
    windows_that_live,
)
from fern_tide.core.first_cut.listening import listen
from fern_tide.core.first_cut.measuring import Measured, measure
from fern_tide.core.first_cut.rule import Candidate, Rule
from fern_tide.core.first_cut.scene import SceneSummary, look
from fern_tide.core.first_cut.sound import Levels, SoundSummary, likeness
from fern_tide.core.mapping.mapping import Mapping as MappingModel
from fern_tide.core.scene.extent import Extent
from fern_tide.core.scene.first_cut import FirstCut, Proposed
from fern_tide.core.scene.part import Anchor

RULES = discover(rules_folder, attribute="RULE", of=Rule, kind="rule")
FEWEST, MOST = 3, 6
_WORTH = 0.10  # a score below which more than the fewest are not worth having
_NEARLY = 0.45  # scores that differ by less than this share are nearly equal: a seed may swap them
_LIKE = 0.6  # how much less a voice is worth that moves as another one does
_SAME_THING = 0.55  # how much a second motion of the same thing is worth
_SAME_TRACK = 0.6  # how much a second motion by the same of several tracks is worth
_FROM_ONE_ENVELOPE, _FROM_ONE_RULE = 2, 2


@dataclass(frozen=True)
class Proposal:
    """What a first cut would add to a project.

    Attributes:
        cut: what the document knows of it.
        envelopes: those that are new.
        mappings: all of them, in order of their worth.
        anchors: of parts whose anchor is moved first, by id.
    """

    cut: FirstCut
    envelopes: tuple[Envelope, ...] = ()
    mappings: tuple[MappingModel, ...] = ()
    anchors: Mapping[str, Anchor] = field(default_factory=dict)


@dataclass(frozen=True)
class Ground:
    """What a first cut stands on besides the document.

    Attributes:
        extents: where the parts are.
        still: parts that are left alone.
        only: parts that it is for; none is all.
    """

    extents: Mapping[str, Extent]
    still: Collection[str] = frozenset()
    only: Collection[str] = frozenset()


def propose(project: Project, levels: Levels, *, ground: Ground, seed: int) -> Proposal:
    """Propose three to six mappings; fewer where there is less to move, none where nothing is heard.

    The same document and seed give the same proposal.

    Args:
        project: with its tracks; what its mappings move already is left alone.
        levels: gives what is read from the tracks.
        ground: what is known of the scene.
        seed: 1 for the best; others swap what is nearly as good.

    Raises:
        NotReadYet: what it listens to is still being read.
    """
    sound, scene = _both(project, levels, ground)
    reason = sound.reason or ("" if scene.things else "Nothing on the stage can be moved.")
    if reason:
        return Proposal(FirstCut(seed=seed, reason=reason[:240]))
    measured = _measured(project, levels, sound, scene)
    chosen = _chosen(project, sound, [item for item in measured if item.visible > 0.05], seed)
    if not chosen:
        return Proposal(FirstCut(seed=seed, reason="Nothing on the stage would be seen to move."))
    return _written(project, chosen, seed)


def suggest(project: Project, levels: Levels, *, ground: Ground, envelope: Envelope | None, most: int) -> Proposal:
    """Propose what some parts could do, or what an envelope could move: each by itself, the best first.

    Args:
        project: the document.
        levels: gives what is read.
        ground: its `only` says which parts; with an envelope all parts may be meant.
        envelope: which is followed; None is whatever is best.
        most: how many.
    """
    sound, scene = _both(project, levels, ground)
    if envelope is not None:
        sound = sound.only(envelope, levels.cleaned(project, envelope))
    measured = sorted(_measured(project, levels, sound, scene), key=lambda item: -item.score)
    best: dict[tuple[str, str], Measured] = {}
    for item in measured:
        calm = _made_calm(project, sound, item)
        if calm is not None and item.visible > 0.02:
            best.setdefault((item.candidate.rule, item.candidate.thing.parts[0].id), calm)
    if not best:
        reason = sound.reason or "Nothing that can be moved, or be followed, was found for this."
        return Proposal(FirstCut(reason=reason[:240]))
    return _written(project, list(best.values())[:most], 1)


def _look(project: Project, ground: Ground) -> SceneSummary:
    taken = {drive.target for mapping in project.mappings for drive in mapping.drives}
    taken |= project.scene.grounds.keys()
    return look(project.scene, extents=ground.extents, taken=taken, still=ground.still, only=ground.only)


def _both(project: Project, levels: Levels, ground: Ground) -> tuple[SoundSummary, SceneSummary]:
    scene = _look(project, ground)
    return listen(project, levels, rows=scene.rows), scene


def _measured(project: Project, levels: Levels, sound: SoundSummary, scene: SceneSummary) -> list[Measured]:
    """Ask every rule, and measure what each offers; what moves something that is moved already is left out."""
    known = {item.id for item in project.envelopes}
    envelopes = {voice.envelope.id: voice.envelope for voice in sound.voices if voice.envelope.id not in known}
    trial = project.but(envelopes=(*project.envelopes, *envelopes.values()))
    offers: list[Candidate] = []
    for rule in RULES.values():
        offers += [replace(offer, rule=rule.id) for offer in rule.offer(sound, scene)]
    free = [offer for offer in offers if not any(drive.target in scene.taken for drive in offer.drives)]
    return [measure(trial, levels, offer) for offer in free]


def _chosen(project: Project, sound: SoundSummary, measured: Sequence[Measured], seed: int) -> list[Measured]:
    left = {item.candidate.key: item for item in measured}
    alike = dict.fromkeys(left, 0.0)  # how much each moves as one that is chosen already
    several = len({item.track for item in measured}) > 1
    chosen: list[Measured] = []
    while left and len(chosen) < MOST:
        worth = {key: _worth(item, chosen, alike[key], seed=seed, several=several) for key, item in left.items()}
        key = max(worth, key=lambda name: (worth[name], name))
        if worth[key] < _WORTH and len(chosen) >= FEWEST:
            break
        item = left.pop(key)
        calm = _made_calm(project, sound, item) if _allowed(item, chosen) else None
        if calm is not None:
            chosen.append(calm)
            alike.update({key: max(alike[key], likeness(other.moves, calm.moves)) for key, other in left.items()})
    return _enlivened(project, sound, chosen, list(left.values()))


def _worth(item: Measured, chosen: Sequence[Measured], alike: float, *, seed: int, several: bool) -> float:
    """Give what one more motion would add; with several tracks, less where its track moves something already."""
    own = {part.id for part in item.candidate.thing.parts}
    again = any(own & {part.id for part in other.candidate.thing.parts} for other in chosen)
    worth = item.score * (1.0 - _LIKE * alike) * (_SAME_THING if again else 1.0)
    if several:
        worth *= _SAME_TRACK ** sum(item.track == other.track for other in chosen)
    if seed == 1:
        return worth
    dice = np.random.Generator(np.random.PCG64([seed, zlib.crc32(item.candidate.key.encode())]))
    return worth * (1.0 + _NEARLY * float(dice.uniform(-1.0, 1.0)))


def _allowed(item: Measured, chosen: Sequence[Measured]) -> bool:
    targets = {drive.target for other in chosen for drive in other.mapping.drives}
    envelopes = Counter(other.mapping.envelope for other in chosen)
    rules = Counter(other.candidate.rule for other in chosen)
    return (
        targets.isdisjoint(drive.target for drive in item.mapping.drives)
        and envelopes[item.mapping.envelope] < _FROM_ONE_ENVELOPE
        and rules[item.candidate.rule] < _FROM_ONE_RULE
        and not any(_within(item, other) for other in chosen)
    )


def _within(item: Measured, other: Measured) -> bool:
    """Say whether one moves what the other moves, in the same way, a part and the part that it lies in for instance."""
    if item.candidate.rule != other.candidate.rule:
        return False
    parents = {part.parent for part in item.candidate.thing.parts}
    others = {part.id for part in other.candidate.thing.parts}
    return bool(parents & others) or bool(
        {part.id for part in item.candidate.thing.parts} & {part.parent for part in other.candidate.thing.parts}
    )


def _made_calm(project: Project, sound: SoundSummary, item: Measured) -> Measured | None:
    """Give a measured candidate that passes the checks, made gentler twice if it must be; None where that fails."""
    if not rests_in_silence(item.moves, sound.loudness, rate=project.rate):
        return None
    item = in_time(item, rate=project.rate)
    for _ in range(3):
        if stays_on_stage(item) and is_calm(item, rate=project.rate):
            return item
        softer = item.mapping.but(drives=tuple(map(gentler, item.mapping.drives)))
        item = replace(item, mapping=softer)
    return None


def _enlivened(
    project: Project, sound: SoundSummary, chosen: list[Measured], others: Iterable[Measured]
) -> list[Measured]:
    """Add what moves where nothing moves yet, as long as there is room."""

    def dead(items: Sequence[Measured]) -> int:
        moves = np.max([item.moves for item in items], axis=0) if items else np.zeros_like(sound.loudness)
        return int(np.count_nonzero(~windows_that_live(moves, sound.loudness, rate=project.rate)))

    waiting = [item for item in others if _allowed(item, chosen)]
    while len(chosen) < MOST and waiting and dead(chosen):
        best = min(waiting, key=lambda item: (dead([*chosen, item]), -item.score))
        if dead([*chosen, best]) >= dead(chosen):
            break
        calm = _made_calm(project, sound, best)
        chosen = chosen if calm is None else [*chosen, calm]
        waiting = [item for item in waiting if item is not best and _allowed(item, chosen)]
    return chosen


def _written(project: Project, chosen: Sequence[Measured], seed: int) -> Proposal:
    """Give what was chosen fresh ids and names; an envelope that the project has already is used again."""
    envelope_ids, mapping_ids = (Ids(item.id for item in items) for items in (project.envelopes, project.mappings))
    added: dict[str, Envelope] = {}
    mappings, items, anchors = [], [], dict[str, Anchor]()
    for measured in chosen:
        own = measured.candidate.voice.envelope
        there = next((item for item in (*project.envelopes, *added.values()) if item.same_level(own)), None)
        if there is None:
            there = added[own.id] = own.but(id=envelope_ids.make(own.name))
        name = _name(project, measured)
        mapping = measured.mapping.but(id=mapping_ids.make(name), name=name, envelope=there.id)
        mappings.append(mapping)
        candidate = measured.candidate
        items.append(Proposed(mapping=mapping.id, words=candidate.words[:120], reason=candidate.voice.reason[:240]))
        anchors |= measured.candidate.anchors
    return Proposal(FirstCut(seed=seed, items=tuple(items)), tuple(added.values()), tuple(mappings), anchors)


def _name(project: Project, measured: Measured) -> str:
    target: Target = measured.mapping.drives[0].target
    _, item = project.scene.resolve(target)
    words = measured.candidate.thing.words.removeprefix("the ")
    return f"{words[:1].upper()}{words[1:90]} {item.label.lower()}"

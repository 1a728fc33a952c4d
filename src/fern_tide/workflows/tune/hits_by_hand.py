"""Hits of an envelope under the hand: each is moved, weighed, taken away or added, as an edit that undo takes back."""

from __future__ import annotations

from enum import StrEnum
from typing import Any

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.commands.registry import Together
from fern_tide.core.document import Project
from fern_tide.core.envelope.hit_edits import EditedHits, HitEdit, added, moved, weighed, without
from fern_tide.workflows.derive.levels import Levels


class HandOnHit(StrEnum):
    """What a hand does to a hit."""

    MOVE = "move"
    WEIGH = "weigh"
    REMOVE = "remove"
    ADD = "add"
    FORGET = "forget"


_WORDS = {
    HandOnHit.MOVE: "Move a hit of",
    HandOnHit.WEIGH: "Weigh a hit of",
    HandOnHit.REMOVE: "Take a hit away from",
    HandOnHit.ADD: "Add a hit to",
    HandOnHit.FORGET: "Forget all edits of hits of",
}


def hand_on_hit(
    levels: Levels,
    project: Project,
    envelope_id: str,
    *,
    how: HandOnHit,
    place: int = 0,
    time_s: float = 0.0,
    strength: float = 1.0,
) -> Together:
    """Give the edit that a hand does to the hits of an envelope.

    Args:
        levels: give the hits.
        project: as the hand sees it.
        envelope_id: whose hits.
        how: what is done.
        place: which hit, from 0 in the order of time.
        time_s: of a moved or added one, in seconds of the project.
        strength: of a weighed or added one, 0 to 1.

    Raises:
        InvalidParameter: the envelope is not made of hits, or has no such hit.
        NotReadYet: its sound is still being read.
    """
    envelope = project.envelope(envelope_id)
    hits = levels.hits(project, envelope)
    if hits is None:
        raise InvalidParameter("envelope", value=envelope.name, allowed="one of hits or of taps")
    params: Any = envelope.reading.params
    edits = _edits(params.edits, hits, how, place=place, time_s=time_s, strength=strength)
    reading = envelope.reading.but(params=params.but(edits=edits))
    words = f"{_WORDS[how]} {envelope.name}"[:120]
    return Together(words=words, commands=(PutEnvelope(envelope=envelope.but(reading=reading)),))


def _edits(
    edits: tuple[HitEdit, ...], hits: EditedHits, how: HandOnHit, *, place: int, time_s: float, strength: float
) -> tuple[HitEdit, ...]:
    match how:
        case HandOnHit.MOVE:
            return moved(edits, hits, place, time_s=time_s)
        case HandOnHit.WEIGH:
            return weighed(edits, hits, place, strength=strength)
        case HandOnHit.REMOVE:
            return without(edits, hits, place)
        case HandOnHit.ADD:
            return added(edits, hits, time_s=time_s, strength=strength)
    return ()

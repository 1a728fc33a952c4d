"""Hits under the hand, of an envelope or of a track: moved, weighed, taken away, added; undo takes each edit back."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.commands.registry import Together
from fern_tide.core.commands.soundtrack import PutTrack
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


@dataclass(frozen=True)
class HitHand:
    """What a hand does to a hit.

    Attributes:
        how: what is done.
        hit_s: when the hit is that it is done to, in seconds of the project.
        time_s: of a moved or added one, in seconds of the project.
        strength: of a weighed or added one, 0 to 1.
    """

    how: HandOnHit
    hit_s: float = 0.0
    time_s: float = 0.0
    strength: float = 1.0

    def edits(self, edits: tuple[HitEdit, ...], hits: EditedHits) -> tuple[HitEdit, ...]:
        """Give edits after it; raise InvalidParameter where there is no such hit."""
        match self.how:
            case HandOnHit.MOVE:
                return moved(edits, hits, self.hit_s, time_s=self.time_s)
            case HandOnHit.WEIGH:
                return weighed(edits, hits, self.hit_s, strength=self.strength)
            case HandOnHit.REMOVE:
                return without(edits, hits, self.hit_s)
            case HandOnHit.ADD:
                return added(edits, hits, time_s=self.time_s, strength=self.strength)
        return ()


def hand_on_hit(levels: Levels, project: Project, *, envelope_id: str, hand: HitHand) -> Together:
    """Give the edit that a hand does to the hits of an envelope, as the levels give them.

    Raises:
        InvalidParameter: the envelope is not made of hits, or has no such hit.
        NotReadYet: its sound is still being read.
    """
    envelope = project.envelope(envelope_id)
    hits = levels.hits(project, envelope)
    if hits is None:
        raise InvalidParameter("envelope", value=envelope.name, allowed="one of hits or of taps")
    params: Any = envelope.reading.params
    reading = envelope.reading.but(params=params.but(edits=hand.edits(params.edits, hits)))
    return _together(hand, envelope.name, PutEnvelope(envelope=envelope.but(reading=reading)))


def hand_on_track_hit(levels: Levels, project: Project, *, track_id: str, hand: HitHand) -> Together:
    """Give the edit that a hand does to the hits of a track, which steps, sync figures and touch-ups go by.

    Raises:
        InvalidParameter: the track has no such hit.
        NotReadYet: its sound is still being read.
    """
    track = project.track(track_id)
    edits = hand.edits(track.hit_edits, levels.track_hits(project, track))
    return _together(hand, track.name, PutTrack(track=track.but(hit_edits=edits)))


def _together(hand: HitHand, name: str, command: PutEnvelope | PutTrack) -> Together:
    return Together(words=f"{_WORDS[hand.how]} {name}"[:120], commands=(command,))
